// The score: a ruler with the kept frames, a lane for each cue, a chart for each gauge.

const INK = "#26282B", RULE = "#CFC6B6", KEPT = "#5E7D4F", FIRED = "#C8431B", PAPER = "#FBF9F5";
const LINES = ["#2F5D7C", "#A97C12"];
const MOST_TALL = 214;  // pixels of lanes that are shown at once

export function compact(number) {
  const size = Math.abs(number);
  if (size >= 1e6) return `${(number / 1e6).toFixed(2)} M`;
  if (size >= 1e5) return `${Math.round(number / 1e3)} k`;
  if (size >= 1e4) return Math.round(number).toString().replace(/(\d)(?=(\d{3})+$)/g, "$1\u2009");
  if (size >= 100 || Number.isInteger(number)) return number.toFixed(0);
  return number.toFixed(size >= 10 ? 1 : 2);
}

// How many elements of all matters there are.
const counted = (g) => Object.values(g.matter).reduce((sum, of) => sum + of.count, 0);

function element(tag, className, text) {
  const made = document.createElement(tag);
  made.className = className;
  if (text !== undefined) made.textContent = text;
  return made;
}

export class Score {
  constructor(root, seek) {
    this.root = root;
    this.seek = seek;
    this.measured = new Map();
    this.lanes = [];
    this.head = element("div", "playhead");
    new ResizeObserver(() => this.draw()).observe(root);
  }

  // The lanes for a shot; what was measured is forgotten.
  use(shot, firstFrame, lastFrame) {
    Object.assign(this, { shot, firstFrame, lastFrame });
    this.measured.clear();
    this.root.replaceChildren();
    this.lanes = [this.lane("ruler", "ruler", "frames", 20, (c) => { this.ruler(c); }, () => "")];
    for (const cue of shot.cues) {
      const lane = this.lane("cue", `cue ${cue.id}`, cue.name, 24,
        (c) => this.bars(c, (g) => g.firings[cue.id] ?? 0), (g) => `${compact(g.firings[cue.id] ?? 0)} fired`, cue.id);
      lane.canvas.title = "Firings in each frame. Click a bar to go there, with rings round those it concerned.";
      this.lanes.push(lane);
    }
    for (const signal of shot.signals ?? []) {
      const at = (frame) => signal.values[Math.round((frame - shot.first) / signal.step)];
      const lane = this.lane("signal", `signal ${signal.row} ${signal.path}`, signal.name, 24, (c) => this.signal(c, signal), (_, frame) => `${at(frame) ?? ""} ${signal.unit}`.trim());
      lane.canvas.title = "A signal over the shot's frames. Click to go there.";
      this.lanes.push(lane);
    }
    const states = shot.states;
    this.lanes.push(this.lane("gauge", "gauge count", "how many, by state", 30, (c) => this.stack(c, states), (g) => compact(counted(g))));
    for (const { matter, title, style, gauges, unit, help, expected } of shot.lanes) {
      const value = (g, name) => g.matter[matter]?.[name] ?? 0;
      const paint = style === "bars" ? (c) => this.bars(c, (g) => value(g, gauges[0])) : (c) => this.curves(c, gauges.map((name) => (g) => value(g, name)));
      const lane = this.lane("gauge", `gauge ${title}`, title, 26, paint, (g) => `${[...gauges].reverse().map((name) => compact(value(g, name))).join(" / ")} ${unit}`.trim());
      lane.canvas.title = `${help}. Click to go there.`;
      Object.assign(lane, { matter, expected });
      this.lanes.push(lane);
    }
    this.arrange();
    this.root.append(this.head);
    this.draw();
  }

  // What the artist made of the lanes: their order and which are folded, kept in this browser.
  get kept() { return JSON.parse(localStorage.getItem(`lanes ${this.shot.id}`) ?? '{"order":[],"folded":[]}'); }
  keep(change) { localStorage.setItem(`lanes ${this.shot.id}`, JSON.stringify({ ...this.kept, ...change })); }

  arrange() {
    const { order, folded } = this.kept, place = ({ key }) => (key === "ruler" ? -1 : order.includes(key) ? order.indexOf(key) : order.length);
    this.lanes = this.lanes.map((lane, i) => ({ lane, i })).sort((a, b) => place(a.lane) - place(b.lane) || a.i - b.i).map(({ lane }) => lane);
    for (const lane of this.lanes) {
      lane.folded = folded.includes(lane.key);
      lane.row.classList.toggle("folded", lane.folded);
      lane.fold?.setAttribute("aria-expanded", String(!lane.folded));
      this.root.append(lane.row);
    }
    this.root.append(this.head);
  }

  fold(lane) {
    const { folded } = this.kept;
    this.keep({ folded: lane.folded ? folded.filter((key) => key !== lane.key) : [...folded, lane.key] });
    this.arrange();
    this.draw();
  }

  // A lane so many places up or down.
  move(lane, by) {
    const order = this.lanes.filter((l) => l.key !== "ruler").map((l) => l.key), at = order.indexOf(lane.key);
    const to = Math.max(0, Math.min(order.length - 1, at + by));
    if (to === at) return;
    order.splice(to, 0, ...order.splice(at, 1));
    this.keep({ order });
    this.arrange();
    this.draw();
    lane.fold.focus();
  }

  // A lane is folded by a press on its name, and moved by dragging the name, or with Alt and the arrows.
  handle(lane) {
    let from = null;
    lane.fold.addEventListener("click", () => { if (!lane.dragged) this.fold(lane); lane.dragged = false; });
    lane.fold.addEventListener("keydown", (event) => {
      const by = event.altKey && { ArrowUp: -1, ArrowDown: 1 }[event.key];
      if (!by) return;
      event.preventDefault();
      event.stopPropagation();
      this.move(lane, by);
    });
    lane.fold.addEventListener("pointerdown", (event) => { from = event.clientY; lane.fold.setPointerCapture(event.pointerId); });
    lane.fold.addEventListener("pointermove", (event) => {
      if (from === null || Math.abs(event.clientY - from) < 16) return;
      this.move(lane, event.clientY > from ? 1 : -1);
      from = event.clientY;
      lane.dragged = true;
    });
    lane.fold.addEventListener("pointerup", () => { from = null; });
  }

  lane(kind, key, name, height, paint, now, cue) {
    const row = element("div", `lane ${kind}`);
    const label = element("div", "lane-label");
    const value = element("b", "");
    const fold = kind === "ruler" ? element("span", "of", name) : element("button", "of", name);
    if (fold.type) Object.assign(fold, { type: "button", title: `${name}. Press to fold; drag, or Alt ↑ ↓, to move.` });
    label.append(fold, value);
    const canvas = document.createElement("canvas");
    const at = (event) => {
      const box = canvas.getBoundingClientRect();
      return this.frameAt((event.clientX - box.left) / box.width);
    };
    canvas.addEventListener("pointerdown", (event) => {
      canvas.setPointerCapture(event.pointerId);
      this.seek(at(event), cue);
    });
    canvas.addEventListener("pointermove", (event) => { if (event.buttons & 1) this.seek(at(event)); });
    row.append(label, canvas);
    this.root.append(row);
    const lane = { key, row, canvas, value, height, paint, now };
    if (kind !== "ruler") { lane.fold = fold; this.handle(lane); }
    return lane;
  }

  span() { return this.lastFrame - this.firstFrame + 1; }

  frameAt(share) {
    return this.firstFrame + Math.max(0, Math.min(this.span() - 1, Math.floor(share * this.span())));
  }

  land(frame, gauges) { this.measured.set(frame, gauges); this.later(); }

  later() { this.drawing = true; this.soon(); }

  // Once before the next picture, however often it was asked for: each look at the page's layout may work it out anew.
  soon() {
    if (this.due) return;
    this.due = true;
    requestAnimationFrame(() => {
      this.due = false;
      if (this.drawing) this.draw(); else this.placeHead();
    });
  }

  draw() {
    this.drawing = false;
    const there = new Set([...this.measured.values()].flatMap((g) => Object.entries(g.matter).filter(([, of]) => of.count).map(([name]) => name)));
    for (const lane of this.lanes) {
      lane.row.hidden = Boolean(lane.matter) && !(there.size ? there.has(lane.matter) : lane.expected);
    }
    const shown = this.lanes.filter((lane) => !lane.row.hidden && !lane.folded), scale = window.devicePixelRatio || 1;
    const widths = shown.map((lane) => lane.canvas.clientWidth);
    for (const [n, lane] of shown.entries()) {
      const width = widths[n];
      lane.canvas.style.height = `${lane.height}px`;
      lane.canvas.width = Math.max(1, Math.round(width * scale));
      lane.canvas.height = Math.round(lane.height * scale);
      const context = lane.canvas.getContext("2d");
      context.scale(scale, scale);
      lane.most = lane.paint({ context, width, height: lane.height });
    }
    this.showWhole();
    this.placeHead();
  }

  // As many lanes as there is room for, none cut through; the others are scrolled to.
  showWhole() {
    let tall = 0;
    for (const { row } of this.lanes) {
      if (tall + row.offsetHeight > MOST_TALL) break;
      tall += row.offsetHeight;
    }
    if (tall) this.root.style.maxHeight = `${tall}px`;
    this.head.style.height = `${this.root.scrollHeight}px`;
  }

  moveHead(frame) { this.frame = frame; this.soon(); }

  placeHead() {
    const frame = this.frame, canvas = this.lanes[0]?.canvas;
    const left = canvas && canvas.offsetLeft + ((frame - this.firstFrame + 0.5) / this.span()) * canvas.clientWidth;
    const gauges = this.measured.get(frame);
    for (const lane of this.lanes) {
      const most = lane.most === undefined ? "" : `most ${compact(lane.most)}`;
      lane.value.textContent = [gauges ? lane.now(gauges, frame) : "", most].filter(Boolean).join(", ");
    }
    this.head.hidden = !canvas || frame === undefined;
    if (canvas) this.head.style.left = `${left - 1}px`;
  }

  signal({ context, width, height }, { values, step }) {
    const low = Math.min(...values), span = Math.max(...values) - low || 1, first = this.shot.first;
    context.strokeStyle = "#A97C12";
    context.lineWidth = 1.4;
    context.beginPath();
    values.forEach((v, i) => context.lineTo(this.x(first + i * step + 0.5, width), height - 3 - ((v - low) / span) * (height - 6)));
    context.stroke();
  }

  x(frame, width) { return ((frame - this.firstFrame) / this.span()) * width; }

  ruler({ context, width, height }) {
    context.fillStyle = PAPER;
    context.fillRect(0, 0, width, height);
    context.fillStyle = KEPT;
    for (const frame of this.measured.keys()) context.fillRect(this.x(frame, width), height - 5, width / this.span() + 0.5, 5);
    const step = [1, 2, 5, 10, 12, 24, 48, 120, 240, 600, 1200, 6000, 12000].find((s) => (s * width) / this.span() > 46) ?? 24000;
    context.font = '12px "Atkinson Hyperlegible Mono", monospace';
    context.fillStyle = INK;
    const ticks = [this.firstFrame];
    for (let f = Math.ceil((this.firstFrame + 1) / step) * step; f <= this.lastFrame; f += step) ticks.push(f);
    let free = -1;
    for (const f of ticks) {
      const x = this.x(f + 0.5, width);
      context.fillRect(x, height - 7, 1, 7);
      const wide = context.measureText(String(f)).width;
      if (x < free || x + wide + 3 > width) continue;
      context.fillText(String(f), x + 3, 11);
      free = x + wide + 12;
    }
  }

  ground(context, width, height) {
    context.fillStyle = PAPER;
    context.fillRect(0, 1, width, height - 2);
    context.fillStyle = RULE;
    context.fillRect(0, height - 1, width, 1);
  }

  bars({ context, width, height }, of) {
    this.ground(context, width, height);
    const values = [...this.measured].map(([frame, g]) => [frame, of(g)]);
    const most = Math.max(1, ...values.map(([, v]) => v));
    context.fillStyle = FIRED;
    const w = Math.max(1, width / this.span() - 0.5);
    for (const [frame, value] of values) {
      if (!value) continue;
      const h = Math.max(2, (value / most) * (height - 4));
      context.fillRect(this.x(frame, width), height - 1 - h, w, h);
    }
    return this.measured.size ? most : undefined;
  }

  curves({ context, width, height }, of) {
    this.ground(context, width, height);
    const frames = [...this.measured.keys()].sort((a, b) => a - b);
    const most = Math.max(1e-9, ...frames.flatMap((f) => of.map((value) => value(this.measured.get(f)))));
    of.forEach((value, i) => {
      context.strokeStyle = LINES[i];
      context.lineWidth = 1.5;
      context.beginPath();
      for (const f of frames) {
        const y = height - 2 - (value(this.measured.get(f)) / most) * (height - 5);
        context.lineTo(this.x(f + 0.5, width), y);
      }
      context.stroke();
    });
  }

  stack({ context, width, height }, states) {
    this.ground(context, width, height);
    const most = Math.max(1, ...[...this.measured.values()].map(counted));
    const w = width / this.span() + 0.5;
    for (const [frame, g] of this.measured) {
      let base = height - 1;
      for (const state of states) {
        const h = ((g.by_state[state.id] ?? 0) / most) * (height - 4);
        context.fillStyle = state.colour;
        context.fillRect(this.x(frame, width), base - h, w, h);
        base -= h;
      }
    }
    return this.measured.size ? most : undefined;
  }
}
