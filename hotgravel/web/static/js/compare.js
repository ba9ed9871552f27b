// Two runs on two linked stages under one playhead, their gauges over each other.
import { coloured } from "./colouring.js";
import { Frames } from "./frames.js";
import { Player } from "./player.js";
import { getJson } from "./runs.js";
import { compact } from "./score.js";
import { Stage } from "./stage.js";

const $ = (id) => document.getElementById(id);
const facts = JSON.parse($("facts").textContent);
const COLOURS = ["#2F5D7C", "#C8431B"], DASHES = [[], [6, 3]];

// Both runs' frames as if they were one: a frame is there when both have it.
class Pair {
  constructor(both) { this.both = both; this.kept = new Set(); }
  land(frame) { for (const one of this.both) one.land(frame); this.kept.add(frame); }
  has(frame, whole) { return this.both.every((one) => one.has(frame, whole)); }
  get(frame, whole) { return Promise.all(this.both.map((one) => one.get(frame, whole))); }
  ahead(frames) { for (const one of this.both) one.ahead(frames); }
  drop() { for (const one of this.both) one.drop(); }
}

const sides = facts.sides.map((side, i) => ({ ...side, name: "ab"[i], measured: new Map() }));
for (const side of sides) {
  side.stage = new Stage($(`view-${side.name}`), { picked: () => {}, moved: () => {}, learnt: () => player.draw() });
}
// A camera moved on one stage is moved on the other; what is set there must not come back.
let linking = false;
sides.forEach((side, i) => side.stage.controls.addEventListener("change", () => {
  if (linking) return;
  linking = true;
  sides[1 - i].stage.look(side.stage.view());
  linking = false;
}));

const first = Math.max(...sides.map((s) => s.run.first));
const player = new Player({
  show(frames) {
    frames.forEach((frame, i) => {
      const side = sides[i];
      side.stage.skins.show(side.run.id, frame.frame, side.shot.skins);
      side.stage.streaks.show(side.run.id, frame.frame, side.shot.streaks);
      const looks = frame.groups.map((crowd) => coloured(crowd, "paint", side.shot, 1));
      side.stage.show(side.run.id, frame, looks, 0.5 / side.shot.rate, side.measured.get(frame.frame)?.absent);
    });
  },
  told() {
    $("play").textContent = player.playing ? "Pause" : "Play";
    $("frame-now").textContent = `frame ${player.frame} of ${player.last}`;
    $("rate-now").textContent = player.fault || (player.playing ? `${player.realRate()} of ${sides[0].shot.rate} fps` : "");
    mark();
  },
});

// Each gauge of each matter that the runs have.
function gaugesOf() {
  const there = new Set(sides.flatMap((s) => [...s.measured.values()].flatMap((g) => Object.entries(g.matter).filter(([, of]) => of.count).map(([name]) => name))));
  return sides[0].shot.gauges.filter((g) => there.has(g.matter)).map((g) => [g.title, g.unit, (m) => m.matter[g.matter]?.[g.name] ?? 0]);
}

const lanes = [];
const head = Object.assign(document.createElement("div"), { className: "playhead" });

function lay() {
  for (const [name, unit, key] of gaugesOf()) {
    const row = Object.assign(document.createElement("div"), { className: "lane gauge" });
    const label = Object.assign(document.createElement("div"), { className: "lane-label" });
    const words = Object.assign(document.createElement("span"), { className: "of", textContent: unit ? `${name}, ${unit}` : name });
    const values = ["a", "b"].map((side) => Object.assign(document.createElement("b"), { className: side }));
    const both = document.createElement("span");
    both.append(...values);
    label.append(words, both);
    const canvas = document.createElement("canvas");
    canvas.addEventListener("pointerdown", (event) => seekAt(event, canvas));
    canvas.addEventListener("pointermove", (event) => { if (event.buttons & 1) seekAt(event, canvas); });
    row.append(label, canvas);
    $("lanes").append(row);
    lanes.push({ key, canvas, values });
  }
  $("lanes").append(head);
  new ResizeObserver(draw).observe($("lanes"));
}

function seekAt(event, canvas) {
  const box = canvas.getBoundingClientRect();
  player.pause();
  player.seek(first + Math.floor(((event.clientX - box.left) / box.width) * span()));
}

const span = () => player.last - first + 1;

function draw() {
  for (const { key, canvas } of lanes) {
    const width = canvas.clientWidth, height = 30, scale = window.devicePixelRatio || 1;
    canvas.style.height = `${height}px`;
    canvas.width = Math.max(1, width * scale);
    canvas.height = height * scale;
    const context = canvas.getContext("2d");
    context.scale(scale, scale);
    context.fillStyle = "#FBF9F5";
    context.fillRect(0, 1, width, height - 2);
    const most = Math.max(1e-9, ...sides.flatMap((s) => [...s.measured.values()].map(key)));
    sides.forEach((side, i) => {
      context.strokeStyle = COLOURS[i];
      context.setLineDash(DASHES[i]);
      context.lineWidth = 1.6;
      context.beginPath();
      for (const [frame, gauges] of side.measured) {
        context.lineTo(((frame - first + 0.5) / span()) * width, height - 2 - (key(gauges) / most) * (height - 5));
      }
      context.stroke();
    });
  }
  mark();
}

function mark() {
  for (const { key, values } of lanes) {
    values.forEach((value, i) => {
      const gauges = sides[i].measured.get(player.frame);
      value.textContent = gauges ? compact(key(gauges)) : "";
    });
  }
  sides.forEach((side) => {
    const gauges = side.measured.get(player.frame);
    $(`count-${side.name}`).textContent = gauges ? side.shot.states.map((s) => `${gauges.by_state[s.id] ?? 0} ${s.name}`).join(", ") : "";
  });
  const canvas = lanes[0]?.canvas;
  if (canvas) head.style.left = `${canvas.offsetLeft + ((player.frame - first + 0.5) / span()) * canvas.clientWidth - 1}px`;
}

for (const [id, act] of [["first", () => player.seek(first)], ["last", () => player.seek(player.last)],
  ["back", () => player.seek(player.frame - 1)], ["on", () => player.seek(player.frame + 1)]]) {
  $(id).addEventListener("click", () => { player.pause(); act(); });
}
$("play").addEventListener("click", () => player.toggle());
document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, select, button, a")) return;
  const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (event.key === " ") player.toggle();
  else if (by) { player.pause(); player.seek(player.frame + by * (event.shiftKey ? 10 : 1)); }
  else return;
  event.preventDefault();
});

const pair = new Pair(sides.map((side) => new Frames(side.run.id, (still) => side.stage.pace.affordable(still))));
player.use(pair, first, sides[0].shot.rate);
await Promise.all(sides.map(async (side) => {
  const [told, set] = await Promise.all([getJson(`/runs/${side.run.id}.json`), getJson(`/runs/${side.run.id}/set.json`)]);
  for (const { frame, gauges } of told.frames) side.measured.set(frame, gauges);
  side.stage.build(set);
}));
lay();
for (const frame of sides[0].measured.keys()) if (sides[1].measured.has(frame)) player.land(frame);
if (facts.camera) sides[0].stage.look(facts.camera);
else {
  const some = [...sides[0].measured.values()].at(Math.floor(sides[0].measured.size / 6));
  sides[0].stage.fit(some?.bounds);
}
draw();
await player.seek(first + Math.floor(span() / 8));
window.hotgravel = { sides, player };
