// The bench: wires the stage, the player, the score, the notebook and the runs to one another.
import { coloured, drawLegend, mostBorne, usualTop } from "./colouring.js";
import { watchDriven } from "./driven.js";
import { Frames } from "./frames.js";
import { walk, watchNotebook } from "./notebook.js";
import { Player } from "./player.js";
import { cancelRun, follow, getJson, inWords, Progress, resumeRun, startRun } from "./runs.js";
import { Score } from "./score.js";
import { Stage } from "./stage.js";
import { StrokePen } from "./strokes.js";

const $ = (id) => document.getElementById(id);
const facts = JSON.parse($("facts").textContent);
let shot = facts.shot;      // as the page stands
let ranShot = facts.shot;   // as the run on the stage was computed
let run = facts.run;
let revision = facts.revision;
let stopFollowing = () => {};
let startedHere = false;
const shotId = facts.shot.id;

const stage = new Stage($("view"), { picked: showBecause, moved: (view) => { stage.fitted = true; keepCamera(view); }, placed: placeZone, learnt: () => player.draw() });
const score = new Score($("lanes"), (frame, cue) => { if (cue) return showFired(cue, frame); player.pause(); player.following = false; player.seek(frame); });
const player = new Player({ show: showFrame, told: tellPlayer });
const driven = watchDriven($("notebook"), { shot: shotId, range: () => shot, runNow: () => (run && player.frames?.kept.size ? run.id : null) });
const notebook = watchNotebook($("notebook"), {
  shot: shotId, frameNow: () => player.frame, edited: onEdited, pointed: pointAt,
});
// Elements that came of a row are asked for, once the pointer has come to rest on its sentence.
let pointing = 0;
function pointAt(ids) {
  if (!stage.pointing.show(ids, ranShot.states)) return;
  clearTimeout(pointing);
  const row = ids[0], frame = stage.frame?.frame;
  if (!run || frame === undefined || !ranShot.origins.includes(row)) return;
  pointing = setTimeout(async () => {
    const places = await getJson(`/runs/${run.id}/frames/${frame}/from.json?row=${row}`).catch(() => []);
    if (stage.frame?.frame === frame && stage.pointing.ids === ids.join(" ")) stage.ringAll(places, frame);
  }, 120);
}
for (const menu of document.querySelectorAll(".handover")) menu.addEventListener("keydown", walk);

// The stage

let weighed = { key: "", weights: null }, thinnedBefore = false;
function showFrame(frame) {
  const by = $("colour-by").value, top = by === "load" ? mostBorne(score.measured) : usualTop(score.measured);
  const { spans, first } = ranShot;
  const blur = $("streaks").checked ? 0.5 * spans[Math.min(frame.frame - first, spans.length - 1)] : 0;
  const key = `${by} ${frame.frame} ${revision}`, weights = weighed.key === key ? weighed.weights : null;
  if (by.startsWith("zone ") && !weights) weigh(by.slice(5), frame, key);
  const looks = frame.groups.map((crowd) => coloured(crowd, by, ranShot, top, weights?.[crowd.name]));
  stage.show(run.id, frame, looks, blur, score.measured.get(frame.frame)?.absent);
  const every = Math.max(1, ...frame.groups.map((crowd) => crowd.every));
  if (every > 1) $("stage-note").textContent = `every ${every === 2 ? "second" : every === 3 ? "third" : `${every}th`} particle is drawn, so that the page stays quick`;
  else if (thinnedBefore) tellGrid();
  thinnedBefore = every > 1;
  drawLegend($("legend"), by, by.startsWith("zone ") ? shot : ranShot, top, score.measured.get(frame.frame), weights);
  stage.skins.show(run.id, frame.frame, ranShot.skins);
  stage.streaks.show(run.id, frame.frame, ranShot.streaks);
  const bodies = frame.groups.some((crowd) => crowd.kind === "pieces");
  for (const id of ["contacts", "outlines"]) $(id).closest("label").hidden = !bodies;
  if (bodies) stage.contacts.show(run.id, frame.frame);
  const smoke = frame.groups.some((crowd) => crowd.kind === "volume");
  $("slice").closest("span").hidden = !smoke;
  $("balance").hidden = true;
  if (smoke) { stage.slice.show(run.id, frame.frame); tellBalance(score.measured.get(frame.frame)?.matter.smoke); }
  driven.follow(frame.frame);
}

// What has come of smoke, and what has become of it: both sides add up.
function tellBalance(told) {
  if (!told) return;
  const part = (name, word) => (told[name] > 0.0005 ? ` + ${told[name].toPrecision(3)} ${word}` : "");
  const came = told.came + told.burnt, gone = told.mass + told.faded + told.drained + told.left;
  $("balance").hidden = came === 0 && gone === 0;  // air that only carries has none
  const off = came > 0 ? (100 * Math.abs(came - gone)) / came : 0;
  $("balance").textContent = `smoke, m³: ${told.came.toPrecision(3)} came${part("burnt", "from fire")} = ${told.mass.toPrecision(3)} there${part("faded", "faded")}${part("drained", "drained")}${part("left", "left")}; off by ${off.toFixed(2)} %`;
}

for (const [id, event, name] of [["slice", "change", "of"], ["slice-axis", "change", "axis"], ["slice-at", "input", "at"]]) {
  $(id).addEventListener(event, () => {
    stage.slice.wish[name] = $(id).value;
    for (const other of ["slice-axis", "slice-at"]) $(other).hidden = !$("slice").value;
    if (stage.frame) showFrame(stage.frame);
  });
}
$("stride").addEventListener("change", () => { stage.layers.get("smoke")?.finer(Number($("stride").value)); });

async function weigh(zone, frame, key) {
  const told = await Promise.all(frame.groups.map(async ({ name, every }) => {
    const answer = await fetch(`/runs/${run.id}/frames/${frame.frame}/weights.bin?zone=${zone}&matter=${name}`);
    return answer.ok ? [name, new Float32Array(await answer.arrayBuffer()).filter((_, i) => i % every === 0)] : null;
  }));
  if (told.includes(null)) return;
  weighed = { key, weights: Object.fromEntries(told) };
  if (stage.frame === frame) showFrame(frame);
}

// The zones of the shot can be looked at too; what was chosen stays chosen.
function offerColours() {
  const select = $("colour-by"), chosen = select.value;
  for (const old of select.querySelectorAll("option[value^='zone ']")) old.remove();
  for (const zone of shot.zones) select.append(new Option(`zone ${zone.name}`, `zone ${zone.id}`));
  select.value = [...select.options].some((o) => o.value === chosen) ? chosen : "paint";
}

function redraw() { if (stage.frame) showFrame(stage.frame); else drawLegend($("legend"), $("colour-by").value, shot, 1, null); }

let built = "", cutAgain = 0, asked = 0;
async function loadSet(url) {
  clearTimeout(cutAgain);
  const mine = ++asked, set = await getJson(url), same = JSON.stringify({ ...set, cutting: null });
  if (mine !== asked) return;  // it was asked for anew meanwhile
  $("light").value = shot.light.name;
  $("focus").setAttribute("aria-pressed", String(shot.light.focus !== null));
  stage.setFocus(shot.light.focus, shot.light.aperture);
  stage.light.set(shot.light);  // the page's, as it is shown only: the run need not be made again
  if (same !== built) stage.build(set);
  $("spread").closest("label").hidden = !set.props.some((prop) => prop.pieces.length);
  built = same;
  tellGrid();
  if (set.cutting === null) return;
  $("stage-note").textContent = `the pieces are being cut: ${Math.round(100 * set.cutting)} %`;
  cutAgain = setTimeout(() => loadSet(url), 700);
}

document.body.addEventListener("cut-again", () => loadSet(`/shots/${shotId}/set.json`));

function tellGrid() {
  const unit = shot.lengths === "cm" ? `${stage.spacing * 100} cm` : `${stage.spacing} m`;
  $("stage-note").textContent = `grid ${unit}`;
}

// An edit that is made on the stage, sent as the notebook's own are.
function edit(row, what, values) {
  return window.htmx.ajax("POST", `/shots/${shotId}/rows/${row}/${what}`, { target: "#notebook", swap: "innerHTML",
    values: { ...values, revision: $("revision").value, unfolded: $("unfolded").value } });
}

function placeZone(zone, { x, y, z }) { edit(zone, "place", { path: "shape.at", x, y, z }); }

function relight(value) { edit("finish", "set", { path: "light", value }); }

const pen = new StrokePen(stage, (zone, points) => {
  $("stage-note").textContent = "";
  edit(zone, "strokes", { path: "shape", points });
});
$("notebook").addEventListener("click", (event) => {
  const { draw, radius } = event.target.dataset ?? {};
  if (!draw) return;
  pen.take(draw, Number(radius));
  $("stage-note").textContent = "Draw on the set: press, move, let go. Esc puts the pen down.";
});

let cameraTimer = 0;
function keepCamera(view) {
  clearTimeout(cameraTimer);
  cameraTimer = setTimeout(() => {
    fetch(`/shots/${shotId}/camera`, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(view) });
  }, 400);
}

function fit() {
  const bounds = [...score.measured.values()].map((g) => g.bounds).filter(Boolean);
  const whole = bounds.length ? [0, 1].map((end) => [0, 1, 2].map((axis) => {
    const at = bounds.map((b) => b[end][axis]).sort((a, b) => a - b);
    return at[Math.floor((end ? 0.54 : 0.46) * (at.length - 1))];
  })) : null;
  stage.fit(whole);
  tellGrid();
  keepCamera(stage.view());
}

// The player

function tellPlayer() {
  $("play").textContent = player.playing ? "Pause" : "Play";
  const any = player.frames && player.frames.kept.size > 0;
  const shown = player.frames?.cache.get(player.frame)?.frame ?? player.frame;  // where not all frames are kept in full
  const instead = shown === player.frame ? "" : `, seen as at ${shown}`;
  $("frame-now").textContent = any ? `frame ${player.frame} of ${ranShot.last}${instead}` : "no frames kept";
  $("rate-now").textContent = player.fault || (player.playing ? `${player.realRate()} of ${ranShot.rate} fps` : `${ranShot.rate} fps`);
  score.moveHead(any ? player.frame : undefined);
  $("invitation").hidden = any || run?.state === "running" || run?.state === "waiting";
}

function step(by) { player.pause(); player.following = false; player.seek(player.frame + by); }

// Runs

const going = () => run && (run.state === "waiting" || run.state === "running");

function takeRun(next, itsShot) {
  stopFollowing();
  run = next;
  ranShot = { ...itsShot, id: shotId };
  score.use(ranShot, run.first, run.last);
  player.use(new Frames(run.id, (still) => stage.pace.affordable(still)), run.first, ranShot.rate);
  takeRetime();
  const progress = new Progress(run.first, run.last);
  player.following = going();
  // What was finished before can be moved about in at once; news of its gauges may take a while.
  if (!going()) {
    for (let n = 0; n < run.landed; n++) player.land(run.first + n);
    player.seek(run.opening);
  }
  stopFollowing = follow(run.id, {
    landed(frame, gauges) {
      if (going()) run.state = "running";
      progress.land(frame);
      score.land(frame, gauges);
      player.land(frame);
      tellRun(progress);
      if (going() && frame === run.first + SEEN_FIRST) fitOnce(false);
      if (!going() && frame === player.frame) redraw();  // the legend counts by its gauges
    },
    preparing(kernel) { $("run-state").textContent = `preparing ${kernel}, once for all runs`; },
    ended(state, message) {
      Object.assign(run, { state, message });
      tellEstimate();
      tellPreflight();
      const watched = player.following;
      player.following = false;
      tellRun(progress);
      player.tell();
      if (player.frames.kept.size) fitOnce(true);
      if (!startedHere && watched) openThere(run.id);
      startedHere = false;
    },
  });
  for (const link of document.querySelectorAll("[data-handover]")) link.href = `/runs/${run.id}/${link.dataset.handover}`;
  tellRun(progress);
}

// Until somebody has turned the camera of a shot, its first run is framed: when a little has been seen of it, and whole.
const SEEN_FIRST = 12;
function fitOnce(whole) {
  if (!facts.camera && !stage.fitted) fit();
  stage.fitted ||= whole;
}

// A run that nobody here had started is shown at the frame in which much goes on, as one that was over before.
async function openThere(id) {
  const known = await getJson(`/runs/${id}.json`);
  if (run.id === id) player.seek(known.run.opening);
}

function tellRun(progress) {
  const busy = going();
  $("run").hidden = busy;
  $("cancel").hidden = !busy;
  if (!busy) $("cancel").disabled = false;
  $("estimate").hidden = busy;
  $("resume").hidden = busy || !["cancelled", "failed"].includes(run.state) || !player.frames?.kept.size;
  $("progress").hidden = !busy;
  const percent = Math.round(100 * progress.share());
  $("progress").firstElementChild.style.width = `${percent}%`;
  $("progress").setAttribute("aria-valuenow", percent);
  const line = $("run-state");
  line.classList.toggle("bad", run.state === "failed");
  if (busy) {
    const first = ranShot.pre_roll ? `the first frame, after a pre-roll of ${ranShot.pre_roll}` : "the first frame";
    const frame = progress.frame === undefined ? `waiting for ${run.waits_for ? `run ${run.waits_for}, which is computed first` : first}` : `frame ${progress.frame} of ${run.last}, ${inWords(progress.left())}`;
    line.textContent = run.older ? `${frame}; older than the page` : frame;
    return;
  }
  const kept = player.frames ? player.frames.kept.size : 0;
  const older = run.older ? "; older than the page, run again" : "";
  const words = { finished: `Run ${run.id}, ${run.quality}`, cancelled: `Run ${run.id} cancelled, ${kept} frames kept`, failed: run.message || `Run ${run.id} failed` };
  line.textContent = (words[run.state] ?? "") + older;
}

const pressRun = () => begin(() => startRun(shotId));
const pressResume = () => begin(() => resumeRun(run.id));

async function begin(ask) {
  if (going()) return;
  $("run").disabled = true;
  try {
    const answer = await ask();
    startedHere = answer.run.state === "waiting";
    document.querySelector(".guide")?.remove();
    closeBecause();
    takeRun(answer.run, answer.shot);
    loadSet(`/runs/${answer.run.id}/set.json`);
    tellNotes(answer.notes);
  } catch (error) {
    tellNotes([error.message], error.offers);
  }
  $("run").disabled = false;
}

// What there is to say about the shot beside the run: open meshes, rows that will come to nothing.
function tellNotes(notes, offers = []) {
  const list = document.createElement("ul"), close = document.createElement("button");
  for (const note of notes) list.append(Object.assign(document.createElement("li"), { textContent: note }));
  for (const { label, row, path, value } of offers) {
    const press = Object.assign(document.createElement("button"), { type: "button", className: "btn-quiet", textContent: label });
    press.addEventListener("click", () => { $("notes").hidden = true; if (row) edit(row, "set", { path, value }); else location.assign("/disk"); });
    list.append(press);
  }
  Object.assign(close, { type: "button", className: "btn-word", textContent: "Close" });
  close.addEventListener("click", () => { $("notes").hidden = true; });
  $("notes").replaceChildren(list, close);
  $("notes").hidden = !notes.length;
}

function pressCancel() {
  if (!going()) return;
  cancelRun(run.id);
  $("cancel").disabled = true;
  $("run-state").textContent = "cancelling";
}

// Edits

async function tellEstimate() {
  const told = await getJson(`/shots/${shotId}/estimate.json`);
  $("estimate").textContent = told.words;
  $("estimate").title = told.from_runs ? `From the last ${told.from_runs} runs of this shot` : "Nothing has run yet: a wide guess from the number of particles and steps";
}

const edits = { due: 0, set: facts.shot.set };
async function onEdited(news) {
  shot = news.shot;
  revision = news.revision;
  offerColours();
  takeRetime();
  $("quality").value = shot.quality;
  if (run) {
    const line = $("run-state");
    run.older = news.run?.id === run.id ? news.run.older : run.revision !== revision;
    line.textContent = line.textContent.replace(/; older than the page.*/, "");
    if (run.older) line.textContent += going() ? "; older than the page" : "; older than the page, run again";
  } else {
    score.use(shot, shot.first, shot.last);
    drawLegend($("legend"), $("colour-by").value, shot, 1, null);
  }
  clearTimeout(edits.due);
  edits.due = setTimeout(() => Promise.all([tellEstimate(), tellPreflight()]), 300);  // not for each of a row of edits
  if (edits.set !== shot.set) {
    edits.set = shot.set;
    await loadSet(`/shots/${shotId}/set.json`);
    stage.pose(player.frame);
  }
  if ($("colour-by").value.startsWith("zone ")) redraw();
}

// The because

async function showBecause(id, prop, look) {
  if (id !== null && look && stage.find(id)?.crowd.kind === "volume") lookInto(look);
  if (id === null) return prop ? offerRows(prop) : closeBecause();
  $("preflight").hidden = true;
  stage.mark(id);
  const answer = await fetch(`/runs/${run.id}/because?particle=${id}&frame=${stage.frame.frame}`);
  const panel = $("because");
  panel.hidden = false;
  if (answer.ok) panel.innerHTML = await answer.text();
  else panel.textContent = (await answer.json()).detail;
  for (const dot of panel.querySelectorAll("[data-paint]")) dot.style.background = dot.dataset.paint;
}

// What is where one looks into smoke, beside the because of its block.
async function lookInto(look) {
  const { frame } = stage.frame, answer = await fetch(`/runs/${run.id}/frames/${frame}/looked.json?${new URLSearchParams(look)}`);
  if (!answer.ok || stage.frame.frame !== frame) return;
  const { place, facts } = await answer.json(), list = document.createElement("dl");
  for (const [name, told] of Object.entries(facts)) {
    list.append(Object.assign(document.createElement("dt"), { textContent: name }), Object.assign(document.createElement("dd"), { textContent: told }));
  }
  $("looked").replaceChildren(Object.assign(document.createElement("h3"), { textContent: "Smoke here" }), list);
  $("looked").hidden = false;
  stage.ringAll([place], frame);
}

// The sentences that name the prop which was pressed on the stage.
function offerRows(prop) {
  const rows = notebook.naming(prop), list = document.createElement("ol");
  for (const { id, name, sentence } of rows) {
    const item = document.createElement("li"), button = document.createElement("button");
    Object.assign(button, { type: "button", className: "why", textContent: sentence, title: name });
    button.dataset.showRow = id;
    item.append(button);
    list.append(item);
  }
  const head = $("because-head").content.cloneNode(true);
  head.querySelector("h2").textContent = rows.find((row) => row.id === prop)?.name ?? prop;
  stage.mark(null);
  $("because").replaceChildren(head, list);
  $("preflight").hidden = true;
  $("because").hidden = false;
  stage.pointing.show([prop], ranShot.states);
}

function closeBecause() {
  $("looked").hidden = true;
  $("because").hidden = true;
  stage.mark(null);
}

$("because").addEventListener("click", (event) => {
  const target = event.target.closest("button");
  if (!target) return;
  if ("closeBecause" in target.dataset) closeBecause();
  if (target.dataset.goFrame) { player.pause(); player.seek(Number(target.dataset.goFrame)); }
  if (target.dataset.showRow) notebook.show(target.dataset.showRow);
});

$("because").addEventListener("click", async (event) => {
  const ask = event.target.closest("[data-why-not]");
  if (!ask) return;
  const answer = await fetch(`${ask.dataset.whyNot}&cue=${$("why-not-cue").value}`);
  if (answer.ok) $("why-not-told").innerHTML = await answer.text();
  else $("why-not-told").textContent = (await answer.json()).detail;
});

// A cue's lane: to the frame, with rings round those it concerned.
async function showFired(cue, frame) {
  player.pause();
  player.following = false;
  await player.seek(frame);
  const answer = await fetch(`/runs/${run.id}/frames/${player.frame}/fired.json?cue=${cue}`);
  stage.ringAll(answer.ok ? (await answer.json()).places : [], player.frame);
}

// Preflight

let preflightAsked = 0;

async function tellPreflight() {
  const asked = ++preflightAsked, answer = await fetch(`/shots/${shotId}/preflight`);
  if (!answer.ok) return;
  const panel = await answer.text();
  if (asked < preflightAsked) return;  // it was asked again meanwhile
  $("preflight").innerHTML = panel;
  const { wrong, doubtful } = $("preflight").querySelector("h2").dataset;
  const parts = Object.entries({ wrong, doubtful }).filter(([, count]) => count > 0).map(([word, count]) => `${count} ${word}`);
  $("preflight-button").textContent = `Preflight: ${parts.join(", ") || "clear"}`;
  $("preflight-button").classList.toggle("warned", wrong > 0);
}

$("preflight-button").addEventListener("click", async () => {
  if (!$("preflight").hidden) { $("preflight").hidden = true; return; }
  closeBecause();
  await tellPreflight();
  $("preflight").hidden = false;
});
$("preflight").addEventListener("click", (event) => {
  const target = event.target.closest("button");
  if (!target) return;
  if ("closePreflight" in target.dataset) $("preflight").hidden = true;
  if (target.dataset.showRow) notebook.show(target.dataset.showRow);
  if ("remedy" in target.dataset) {
    const { check, row, path } = target.dataset;
    window.htmx.ajax("POST", `/shots/${shotId}/preflight/remedy`, { target: "#notebook", swap: "innerHTML",
      values: { check, row, path, revision: $("revision").value, unfolded: $("unfolded").value } });
  }
});

// What other tabs and windows have made of the shot.

let preparedBefore = false, latestRun = null;  // when the page was opened
async function lookElsewhere() {
  if (document.hidden) return;
  const now = await getJson(`/shots/${shotId}/now.json`).catch(() => null);
  if (!now) return;
  $("stage-note").title = now.preparing ? `${now.preparing} is compiled for later runs` : "";
  if (now.preparing) $("stage-note").textContent = "preparing kernels";
  else if (preparedBefore) tellGrid();
  preparedBefore = Boolean(now.preparing);
  latestRun ??= now.run ?? 0;
  const edited = now.revision > revision, ran = now.run !== null && now.run > Math.max(latestRun, run?.id ?? 0);
  const parts = [edited && `the page (revision ${now.revision})`, ran && `run ${now.run}`].filter(Boolean);
  $("elsewhere").hidden = !parts.length;
  $("elsewhere").firstElementChild.textContent = `New from elsewhere: ${parts.join(" and ")}.`;
  $("elsewhere").dataset.run = ran ? now.run : "";
}
async function showElsewhere() {
  const ran = $("elsewhere").dataset.run;
  $("elsewhere").hidden = true;
  await window.htmx.ajax("GET", `/shots/${shotId}/notebook`, { target: "#notebook", swap: "innerHTML", values: { unfolded: $("unfolded").value } });
  if (!ran) return;
  const known = await getJson(`/runs/${ran}.json`);
  takeRun({ ...known.run }, known.shot);
  loadSet(`/runs/${ran}/set.json`);
}
$("elsewhere").lastElementChild.addEventListener("click", showElsewhere);
lookElsewhere();
setInterval(lookElsewhere, 4000);
document.addEventListener("visibilitychange", lookElsewhere);
// A page that the browser had kept is brought up to date.
window.addEventListener("pageshow", (event) => { if (event.persisted) showElsewhere(); });

// Buttons and keys

$("run").addEventListener("click", pressRun);
$("run").disabled = false;  // until here a press would have been lost
$("resume").addEventListener("click", pressResume);
$("cancel").addEventListener("click", pressCancel);
$("play").addEventListener("click", () => player.toggle());
$("reverse").addEventListener("change", () => { player.way = $("reverse").checked ? -1 : 1; if (player.playing) { player.pause(); player.play(); } });
// The page's retime counts, as it is shown only: the run need not be made again.
function takeRetime() {
  $("retimed").disabled = !shot.retime;
  $("retimed").closest("label").hidden = !shot.retime;
  player.shownAt = shot.retime && $("retimed").checked ? shot.retime : null;
}
$("retimed").addEventListener("change", () => { takeRetime(); if (player.playing) { player.pause(); player.play(); } });
$("first").addEventListener("click", () => step(-Infinity));
$("last").addEventListener("click", () => step(Infinity));
$("back").addEventListener("click", () => step(-1));
$("on").addEventListener("click", () => step(1));
$("fit").addEventListener("click", fit);
// What is to be sharp is pressed on the stage; the next press there is no pick.
$("focus").addEventListener("click", () => {
  if (shot.light.focus !== null) return edit("finish", "set", { path: "focus", value: "everything" });
  stage.askDepth((metres) => edit("finish", "set", { path: "focus", value: `${metres.toPrecision(4)} m` }));
  $("stage-note").textContent = "Press on the stage what is to be sharp.";
});
$("colour-by").addEventListener("change", redraw);
$("streaks").addEventListener("change", redraw);
$("contacts").addEventListener("change", () => { stage.contacts.on = $("contacts").checked; redraw(); });
$("outlines").addEventListener("change", () => { stage.outlined = $("outlines").checked; redraw(); });
// Enter sends the name by itself; leaving it does too.
let named = false;
$("naming").addEventListener("submit", () => { named = true; });
$("naming").elements.name.addEventListener("change", () => setTimeout(() => { if (!named) $("naming").requestSubmit(); }, 0));
$("spread").addEventListener("input", () => stage.parted.spread(Number($("spread").value)));
$("light").addEventListener("change", () => relight($("light").value));
$("wireframe").addEventListener("change", () => stage.setWireframe($("wireframe").checked));

// One thing at a time, the topmost; never a run.
function closeTopmost() {
  const list = document.querySelector(".help-card");
  if (!list.hidden) tell("close");
  else if (!$("because").hidden) closeBecause();
  else if (!$("preflight").hidden) $("preflight").hidden = true;
  else pen.take(null, 0);
}

const tell = (detail) => document.dispatchEvent(new CustomEvent("hotgravel:help", { detail }));
const KEYS = {
  " ": () => player.toggle(),
  p: (event) => { const id = stage.nextPick(event.shiftKey ? -1 : 1); if (id !== null) showBecause(id); },
  "+": () => stage.orbit(0, 0, 0.87),
  "-": () => stage.orbit(0, 0, 1.15),
  ArrowLeft: (event) => step(event.shiftKey ? -10 : -1),
  ArrowRight: (event) => step(event.shiftKey ? 10 : 1),
  Home: () => step(-Infinity),
  End: () => step(Infinity),
  r: pressRun,
  Escape: closeTopmost,
  f: fit,
  c: () => { const s = $("colour-by"); s.selectedIndex = (s.selectedIndex + 1) % s.options.length; redraw(); },
  l: () => relight(shot.light.name === "dusk" ? "working" : "dusk"),
  w: () => { $("wireframe").checked = !$("wireframe").checked; stage.setWireframe($("wireframe").checked); },
  v: () => $("preflight-button").click(),
  "/": () => notebook.find(),
  "?": () => tell("toggle"),
};
for (const number of [1, 2, 3, 4, 5, 6]) KEYS[number] = () => notebook.jump(number);
document.addEventListener("keydown", (event) => {
  const pressed = event.key.toLowerCase();
  if ((event.ctrlKey || event.metaKey) && (pressed === "z" || pressed === "y") && !event.target.closest("input, textarea")) {
    event.preventDefault();
    $(pressed === "y" || event.shiftKey ? "redo" : "undo").click();
    return;
  }
  if (event.target.closest("input, select, textarea") || event.ctrlKey || event.metaKey) return;
  if (event.altKey) {
    const way = { ArrowLeft: [-10, 0], ArrowRight: [10, 0], ArrowUp: [0, 10], ArrowDown: [0, -10] }[event.key];
    if (way) { event.preventDefault(); stage.orbit(...way); }
    return;
  }
  if (event.key === " " && event.target.closest("button, a, summary")) return;
  const act = KEYS[event.key] ?? KEYS[event.key.toLowerCase()];
  if (!act) return;
  event.preventDefault();
  act(event);
});

// The start

score.use(shot, run ? run.first : shot.first, run ? run.last : shot.last);
await loadSet(run ? `/runs/${run.id}/set.json` : `/shots/${shotId}/set.json`);
if (facts.camera) stage.look(facts.camera); else stage.fit(null);
drawLegend($("legend"), "state", shot, 1, null);
offerColours();
tellPlayer();
$("estimate").textContent = facts.estimate;
if (!run) tellPreflight();
if (run) {
  const known = await getJson(`/runs/${run.id}.json`);
  takeRun({ ...known.run }, known.shot);
}
window.hotgravel = { stage, player, score };
if (!run && facts.run_now) pressRun();
