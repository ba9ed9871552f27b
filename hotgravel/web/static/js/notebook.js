// The notebook: which rows are unfolded, found and folded away, what is pointed at, and what every edit sends along.

const STANDINGS = ["off", "driven", "changed"];  // typed in full, they ask how a row stands, not for its words

export function watchNotebook(root, { shot, frameNow, edited, pointed }) {
  const unfolded = () => document.getElementById("unfolded");
  const folded = new Set(JSON.parse(localStorage.getItem(`folded ${shot}`) ?? "[]"));
  const turned = new Map();  // rows that were opened or shut since an edit was last sent, whose answer knows nothing of it
  let wanted = "";

  async function setOpen(row, open) {
    const ids = new Set(unfolded().value.split(" ").filter(Boolean));
    if (open) ids.add(row); else ids.delete(row);
    unfolded().value = [...ids].join(" ");
    const line = document.getElementById(`row-${row}`);
    if (!line) return;
    const dials = line.querySelector(".dials"), fold = line.querySelector(".fold");
    line.classList.toggle("open", open);
    dials.hidden = !open;
    fold.textContent = open ? "less" : "more";
    fold.setAttribute("aria-expanded", String(open));
    if (open && !dials.childElementCount) await window.htmx.ajax("GET", `/shots/${shot}/rows/${row}/dials`, { target: dials, swap: "innerHTML" });
  }

  // Sections and groups that are folded, and sentences that are not looked for, are left out.
  function arrange() {
    const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
    let there = 0;
    for (const line of root.querySelectorAll(".row-line")) {
      const is = line.dataset.is.split(" ");
      const fits = words.every((word) => (STANDINGS.includes(word) ? is.includes(word) : line.dataset.find.includes(word)));
      line.hidden = !fits;
      there += fits;
    }
    for (const fold of root.querySelectorAll("[data-fold]")) {
      const shut = !words.length && folded.has(fold.dataset.fold);
      fold.closest(".group, .page-section").classList.toggle("folded", shut);
      fold.setAttribute("aria-expanded", String(!shut));
    }
    for (const section of root.querySelectorAll(".page-section, .group")) section.classList.toggle("nothing-found", Boolean(words.length) && !section.querySelector(".row-line:not([hidden])"));
    document.getElementById("found").textContent = words.length ? `${there} of ${root.querySelectorAll(".row-line").length} sentences` : "";
  }

  function fold(name, shut) {
    if (shut) folded.add(name); else folded.delete(name);
    localStorage.setItem(`folded ${shot}`, JSON.stringify([...folded]));
    arrange();
  }

  root.addEventListener("click", (event) => {
    const button = event.target.closest("[data-unfold], [data-fold], [data-insert], [data-show-row]");
    if (!button) return;
    const { unfold: row, fold: name, insert, showRow } = button.dataset;
    if (showRow) return show(showRow);
    if (name) fold(name, !folded.has(name));
    else if (insert) insertWord(button, insert);
    else {
      const open = button.classList.contains("driven") || !document.getElementById(`row-${row}`).classList.contains("open");
      turned.set(row, open);
      setOpen(row, open);
    }
  });

  // A word of the formula language, put where the cursor last stood in the formula.
  function insertWord(button, word) {
    const field = button.closest(".driver").querySelector("input.slot");
    const at = field.selectionEnd ?? field.value.length;
    field.setRangeText(word, field.selectionStart ?? at, at, "end");
    field.focus();
  }

  root.addEventListener("input", (event) => {
    if (event.target.id === "find-row") { wanted = event.target.value; arrange(); }
  });
  root.addEventListener("focusin", (event) => { if (event.target.matches("input.slot") && event.target.closest(".sentence, .dial-value")) event.target.select(); });
  root.addEventListener("keydown", (event) => {
    if (event.target.id === "find-row" && event.key === "Escape") { event.stopPropagation(); event.target.value = wanted = ""; arrange(); event.target.blur(); }
    if (event.target.closest(".adds")) return walk(event);
    if (!event.target.matches("input.slot")) return;
    // Enter makes the edit and stays; the field's own change event would make it once more.
    if (event.key === "Enter") {
      event.preventDefault();
      if (event.target.value !== event.target.defaultValue) event.target.dispatchEvent(new Event("change", { bubbles: true }));
    }
    if (event.key === "Escape") { event.stopPropagation(); event.target.value = event.target.defaultValue; event.target.blur(); }
  });

  // What is passed over on the way to somewhere else lights nothing.
  let resting = 0;
  const point = (ids) => { clearTimeout(resting); resting = setTimeout(() => pointed(ids), ids.length ? 180 : 0); };
  root.addEventListener("mouseover", (event) => point(event.target.closest(".row-line")?.dataset.concerns.split(" ") ?? []));
  root.addEventListener("mouseleave", () => point([]));

  // Whatever drops down closes when something else is pressed.
  document.addEventListener("click", (event) => {
    for (const open of document.querySelectorAll("details[open]")) if (!open.contains(event.target)) open.open = false;
  });
  document.body.addEventListener("htmx:configRequest", (event) => {
    if (event.detail.target === root && event.detail.verb === "post") turned.clear();
    if (event.detail.elt.hasAttribute("data-with-frame")) event.detail.parameters.frame = frameNow();
  });
  // Edits go one after another, each with the revision that the one before has made. One that waits is kept as what it
  // says, as its field may be drawn anew meanwhile.
  let busy = false, saying = "";
  const waiting = [];
  const said = (path, values) => JSON.stringify([path, values.path, values.value]);
  document.body.addEventListener("htmx:confirm", (event) => {
    const { elt, path, verb, target, etc } = event.detail;
    if (target !== root || verb !== "post") return;
    const values = { ...(etc?.values ?? saidBy(elt)) }, words = said(path, values);
    if (!busy) { busy = true; saying = words; return; }
    event.preventDefault();
    const last = waiting.at(-1)?.words ?? saying;
    if (words === last && elt.matches("input.slot")) return;  // a field that is left after Enter changes once more
    waiting.push({ path, values, words });
  });
  document.body.addEventListener("htmx:afterRequest", (event) => {
    if (event.detail.target !== root || event.detail.requestConfig.verb !== "post") return;
    setTimeout(goOn, 0);  // htmx lets the next one go only after it has told of this one
  });
  function goOn() {
    busy = false;
    const next = waiting.shift();
    if (!next) return;
    const now = { revision: document.getElementById("revision").value, unfolded: unfolded().value };
    window.htmx.ajax("POST", next.path, { target: "#notebook", swap: "innerHTML", values: { ...next.values, ...now } });
  }
  function saidBy(elt) {
    const values = JSON.parse(elt.getAttribute("hx-vals") ?? "{}");
    if (elt.matches("form")) for (const [name, value] of new FormData(elt)) values[name] = name in values ? [values[name], value].flat() : value;
    else if (elt.name) values[elt.name] = elt.value;
    return values;
  }
  // What is being typed while an edit's answer comes in stays, with the cursor where it is, also in the field of the
  // edit itself.
  let typing = null;
  document.body.addEventListener("htmx:beforeSwap", (event) => {
    const field = document.activeElement;
    const typed = event.detail.target === root && field?.id && field.matches("input.slot") && field.value !== field.defaultValue;
    typing = typed && said(field.getAttribute("hx-post"), saidBy(field)) !== saying
      ? { id: field.id, value: field.value, from: field.selectionStart, to: field.selectionEnd } : null;
  });
  // What an edit has changed comes with the notebook that it brings.
  for (const swapped of ["htmx:afterSwap", "htmx:oobAfterSwap"]) document.body.addEventListener(swapped, () => {
    const told = root.querySelector("#news"), news = told?.textContent;
    if (!news) return;  // the event comes once for each part that was swapped in; the news is the last
    told.textContent = "";
    document.getElementById("find-row").value = wanted;
    arrange();
    for (const [row, open] of turned) setOpen(row, open);
    const field = typing && document.getElementById(typing.id);
    if (field) { field.value = typing.value; field.focus(); field.setSelectionRange(typing.from, typing.to); }
    root.querySelector(".fault")?.scrollIntoView({ block: "nearest" });
    edited(JSON.parse(news));
  });
  arrange();

  function show(row) {
    for (const line of root.querySelectorAll(".row-line.shown")) line.classList.remove("shown");
    const line = document.getElementById(`row-${row}`);
    if (!line) return;
    const group = line.closest(".group")?.dataset.group, section = line.closest(".page-section").dataset.section;
    for (const name of [group, section]) if (folded.has(name)) fold(name, false);
    line.classList.add("shown");
    line.scrollIntoView({ block: "center", behavior: "smooth" });
  }

  return {
    show,
    // To the first value of a section, by its number on the page.
    jump(number) {
      const section = root.querySelectorAll(".page-section")[number - 1], name = section.dataset.section;
      if (folded.has(name)) fold(name, false);
      section.scrollIntoView({ block: "start" });
      (section.querySelector("input.slot.number") ?? section.querySelector(".sentence .slot, .adds summary")).focus();
    },
    find() { document.getElementById("find-row").focus(); },
    // The rows that name a thing: id and name.
    naming(id) {
      return [...root.querySelectorAll(".row-line")].filter((line) => line.dataset.concerns.split(" ").includes(id))
        .map((line) => ({ id: line.id.slice(4), name: line.dataset.name, sentence: line.dataset.said }));
    },
  };
}

// Arrow keys go through what a menu offers.
export function walk(event) {
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key], menu = event.target.closest("details");
  if (event.key === "Escape" && menu?.open) { event.stopPropagation(); menu.open = false; menu.querySelector("summary").focus(); return; }
  if (!by || !menu || event.target.matches("select")) return;
  event.preventDefault();
  event.stopPropagation();
  menu.open = true;
  const offered = [...menu.querySelectorAll("button, a[href], input:not([type=hidden])")].filter((e) => e.offsetParent);
  const at = offered.indexOf(event.target);
  offered[(at < 0 ? (by > 0 ? 0 : -1) : at + by + offered.length) % offered.length]?.focus();
}
