// Editors of driven numbers: plots with the playhead, keys and curves that are dragged, live histograms.

const SVG = "http://www.w3.org/2000/svg";
const TALL = 110, MARGIN = 8;
let WIDE = 340;  // as wide as it is shown, so that points stay round

const make = (tag, attributes) => {
  const made = document.createElementNS(SVG, tag);
  for (const [name, value] of Object.entries(attributes)) made.setAttribute(name, value);
  return made;
};
const clamp = (x, low, high) => Math.min(high, Math.max(low, x));
const pairs = (text) => text.trim().split(/\s+/).filter(Boolean).map((pair) => pair.split(",").map(Number));

// The monotone cubic that the core draws responses with (Fritsch and Carlson 1980, SciPy's PCHIP).
function monotone(points) {
  const n = points.length, h = [], d = [], m = new Array(n).fill(0);
  for (let i = 0; i < n - 1; i++) { h[i] = points[i + 1][0] - points[i][0]; d[i] = (points[i + 1][1] - points[i][1]) / h[i]; }
  if (n === 2) m.fill(d[0]);
  else {
    const end = (h0, h1, d0, d1) => {
      const slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
      if (Math.sign(slope) !== Math.sign(d0)) return 0;
      return Math.sign(d0) !== Math.sign(d1) && Math.abs(slope) > 3 * Math.abs(d0) ? 3 * d0 : slope;
    };
    for (let i = 1; i < n - 1; i++) {
      if (d[i - 1] * d[i] <= 0) continue;
      const w1 = 2 * h[i] + h[i - 1], w2 = h[i] + 2 * h[i - 1];
      m[i] = (w1 + w2) / (w1 / d[i - 1] + w2 / d[i]);
    }
    m[0] = end(h[0], h[1], d[0], d[1]);
    m[n - 1] = end(h[n - 2], h[n - 3], d[n - 2], d[n - 3]);
  }
  return (x) => {
    let i = 0;
    while (i < n - 2 && x > points[i + 1][0]) i++;
    const t = clamp((x - points[i][0]) / h[i], 0, 1), t2 = t * t, t3 = t2 * t;
    return (2 * t3 - 3 * t2 + 1) * points[i][1] + (t3 - 2 * t2 + t) * h[i] * m[i] + (3 * t2 - 2 * t3) * points[i + 1][1] + (t3 - t2) * h[i] * m[i + 1];
  };
}

class Curve {
  constructor(root, { send, histogram }) {
    Object.assign(this, { root, send, histogram });
    this.svg = root.querySelector("svg");
    WIDE = this.svg.getBoundingClientRect().width || WIDE;
    this.svg.setAttribute("viewBox", `0 0 ${WIDE} ${TALL}`);
    this.points = pairs(root.dataset.points);
    this.stepped = root.dataset.manner === "stepped";
    this.bars = make("g", {});
    this.line = make("path", { class: "line" });
    this.dots = make("g", {});
    this.svg.append(this.bars, this.line, this.dots);
    this.svg.addEventListener("pointerdown", (e) => this.press(e));
    this.draw();
  }

  place([x, y]) { return [MARGIN + x * (WIDE - 2 * MARGIN), TALL - MARGIN - y * (TALL - 2 * MARGIN)]; }

  where(event) {
    const box = this.svg.getBoundingClientRect();
    const x = ((event.clientX - box.left) / box.width) * WIDE, y = ((event.clientY - box.top) / box.height) * TALL;
    return [clamp((x - MARGIN) / (WIDE - 2 * MARGIN), 0, 1), clamp((TALL - MARGIN - y) / (TALL - 2 * MARGIN), 0, 1)];
  }

  draw() {
    const through = this.points.length > 1 ? monotone(this.points) : () => this.points[0][1];
    const [first, last] = [this.points[0], this.points.at(-1)];
    const at = (x) => {
      if (this.stepped) return [...this.points].reverse().find((p) => p[0] <= x)?.[1] ?? first[1];
      return x <= first[0] ? first[1] : x >= last[0] ? last[1] : clamp(through(x), 0, 1);
    };
    const way = Array.from({ length: 141 }, (_, i) => this.place([i / 140, at(i / 140)]).map((v) => v.toFixed(1)).join(","));
    this.line.setAttribute("d", `M${way.join("L")}`);
    this.dots.replaceChildren(...this.points.map((point, i) => {
      const [x, y] = this.place(point);
      const dot = make("circle", { cx: x, cy: y, r: 6, tabindex: 0, role: "slider", "aria-label": `point ${i + 1} of ${this.points.length}`,
        "aria-valuetext": `${Math.round(100 * point[0])} % along, ${Math.round(100 * point[1])} % up`, "aria-valuenow": Math.round(100 * point[1]), "aria-valuemin": 0, "aria-valuemax": 100 });
      dot.addEventListener("keydown", (e) => this.key(e, i));
      return dot;
    }));
  }

  move(i, [x, y]) {
    const low = i ? this.points[i - 1][0] + 0.005 : 0, high = i < this.points.length - 1 ? this.points[i + 1][0] - 0.005 : 1;
    this.points[i] = [clamp(x, low, high), y];
    this.draw();
  }

  press(event) {
    const dot = event.target.closest("circle");
    let i = dot ? [...this.dots.children].indexOf(dot) : -1;
    if (i < 0) {
      const [x, y] = this.where(event);
      i = this.points.findIndex((p) => p[0] > x);
      if (i < 0) i = this.points.length;
      this.points.splice(i, 0, [x, y]);
      this.draw();
    }
    event.preventDefault();
    this.dots.children[i].focus();
    this.svg.setPointerCapture(event.pointerId);
    const drag = (e) => this.move(i, this.where(e));
    const up = () => { this.svg.removeEventListener("pointermove", drag); this.commit(); };
    this.svg.addEventListener("pointermove", drag);
    this.svg.addEventListener("pointerup", up, { once: true });
  }

  key(event, i) {
    const by = event.shiftKey ? 0.1 : 0.02;
    const way = { ArrowLeft: [-by, 0], ArrowRight: [by, 0], ArrowUp: [0, by], ArrowDown: [0, -by] }[event.key];
    if (event.key === "Delete" && this.points.length > 2) this.points.splice(i, 1);
    else if (!way) return;
    event.preventDefault();
    event.stopPropagation();
    if (way) this.move(i, [this.points[i][0] + way[0], clamp(this.points[i][1] + way[1], 0, 1)]);
    else this.draw();
    this.dots.children[Math.min(i, this.points.length - 1)].focus();
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.commit(), 600);
  }

  commit() { this.send(this.points.map(([x, y]) => `${x.toFixed(4)},${y.toFixed(4)}`).join(" ")); }

  async follow(frame) {
    const { attribute, target, begin, end } = this.root.dataset;
    const { row } = this.root.closest(".driver").dataset;
    const told = await this.histogram(frame, { attribute, target, begin, end, row, bins: 60 });
    if (!told || !this.root.isConnected) return;
    const top = Math.max(1, ...told.counts), wide = (WIDE - 2 * MARGIN) / told.counts.length;
    this.bars.replaceChildren(...told.counts.map((count, i) => {
      const tall = (count / top) * (TALL - 2 * MARGIN);
      return make("rect", { class: "bar", x: MARGIN + i * wide, y: TALL - MARGIN - tall, width: wide * 0.9, height: tall });
    }));
    const say = (share) => `${share > 0 && share < 0.005 ? "<1" : Math.round(100 * share)} %`;
    const [below, inside, above] = told.shares;
    this.root.querySelector(".shares").textContent = told.number ? `${say(below)} below, ${say(inside)} inside, ${say(above)} above` : "nobody at this frame";
  }
}

// A signal's plot: the playhead, and keys that are dragged up and down and to and fro.
class Plot {
  constructor(root, { send, range }) {
    Object.assign(this, { root, send, range });
    this.now = root.querySelector(".now");
    this.keys = root.dataset.keys ? pairs(root.dataset.keys) : [];
    this.low = Number(root.dataset.low);
    this.high = Number(root.dataset.high);
    this.grips = this.keys.map((_, i) => this.grip(i));
    this.lay();
  }

  span() { const { first, last } = this.range(); return [first, Math.max(1, last - first)]; }

  lay() {
    const [first, long] = this.span();
    this.grips.forEach((grip, i) => {
      const x = (this.keys[i][0] - first) / long, y = (this.keys[i][1] - this.low) / (this.high - this.low);
      grip.hidden = x < -0.001 || x > 1.001;
      grip.style.left = `${100 * x}%`;
      grip.style.top = `${(100 * (28 - 26 * clamp(y, -0.1, 1.1))) / 30}%`;
    });
  }

  grip(i) {
    const grip = Object.assign(document.createElement("button"), { type: "button", className: "grip" });
    grip.setAttribute("aria-label", `key at frame ${this.keys[i][0]}`);
    this.root.append(grip);
    grip.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      grip.setPointerCapture(event.pointerId);
      const box = this.root.querySelector("svg").getBoundingClientRect();
      const drag = (e) => {
        const [first, long] = this.span();
        const frame = Math.round(first + clamp((e.clientX - box.left) / box.width, 0, 1) * long);
        if (!this.keys.some((k, j) => j !== i && k[0] === frame)) this.keys[i][0] = frame;
        this.keys[i][1] = this.low + ((28 - ((e.clientY - box.top) / box.height) * 30) / 26) * (this.high - this.low);
        this.lay();
      };
      grip.addEventListener("pointermove", drag);
      grip.addEventListener("pointerup", () => { grip.removeEventListener("pointermove", drag); this.commit(); }, { once: true });
    });
    grip.addEventListener("keydown", (event) => {
      const tall = (this.high - this.low) / (event.shiftKey ? 10 : 50);
      const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, tall], ArrowDown: [0, -tall] }[event.key];
      if (!way) return;
      event.preventDefault();
      event.stopPropagation();
      this.keys[i] = [this.keys[i][0] + way[0], this.keys[i][1] + way[1]];
      this.lay();
      clearTimeout(this.timer);
      this.timer = setTimeout(() => this.commit(), 600);
    });
    return grip;
  }

  commit() { this.send(this.keys.map(([f, v]) => `${f},${Number(v.toPrecision(6))}`).join(" ")); }

  follow(frame) {
    const [first, long] = this.span();
    const x = (100 * (frame - first)) / long;
    this.now.setAttribute("x1", x);
    this.now.setAttribute("x2", x);
  }
}

export function watchDriven(root, { shot, range, runNow }) {
  let made = [], wished = null, busy = false;

  const histogram = async (frame, asked) => {
    const run = runNow();
    if (!run) return null;
    const answer = await fetch(`/runs/${run}/frames/${frame}/histogram.json?${new URLSearchParams(asked)}`);
    return answer.ok ? answer.json() : null;
  };

  function build() {
    for (const dot of root.querySelectorAll("[data-paint]")) dot.style.background = dot.dataset.paint;
    made = made.filter((editor) => editor.root.isConnected);
    const fresh = [...root.querySelectorAll(".driver .curve, .driver .plot")].filter((editor) => !made.some((m) => m.root === editor));
    made = made.concat(fresh.map((editor) => {
      const { row, path } = editor.closest(".driver").dataset;
      const send = (points) => window.htmx.ajax("POST", `/shots/${shot}/rows/${row}/points`, {
        target: "#notebook", swap: "innerHTML",
        values: { path, points, revision: document.getElementById("revision").value, unfolded: document.getElementById("unfolded").value },
      });
      return editor.classList.contains("curve") ? new Curve(editor, { send, histogram }) : new Plot(editor, { send, range });
    }));
    if (wished !== null) follow(wished);
  }

  // Histograms come from the server: while one is fetched, only the newest frame counts.
  async function follow(frame) {
    wished = frame;
    for (const editor of made) if (editor instanceof Plot) editor.follow(frame);
    if (busy) return;
    busy = true;
    for (let done = null; done !== wished; ) {
      done = wished;
      const shown = made.filter((e) => e instanceof Curve && e.root.offsetParent);
      await Promise.all(shown.map((e) => e.follow(done).catch(() => {})));
    }
    busy = false;
  }

  root.addEventListener("htmx:afterSwap", build);
  root.addEventListener("htmx:oobAfterSwap", build);
  root.addEventListener("click", () => { if (wished !== null) requestAnimationFrame(() => follow(wished)); });
  build();
  return { follow };
}
