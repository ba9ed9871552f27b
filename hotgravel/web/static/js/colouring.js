// How elements are coloured, and the legend that says so in numbers and units.
import * as THREE from "../vendor/three/three.module.js";

// From cool to hot; legible on a dark ground, ordered in lightness as well as in hue.
const RAMP = ["#5A2A27", "#A8331B", "#E2601F", "#F7A53C", "#FFD98A"].map((c) => new THREE.Color(c));

const WHITE = new THREE.Color("#B9B2A6"), ASLEEP = new THREE.Color("#5E7D4F"), AWAKE = new THREE.Color("#E3B23C");

function ramp(share, out, at) {
  const s = Math.max(0, Math.min(0.9999, share)) * (RAMP.length - 1);
  const i = Math.floor(s), t = s - i;
  out[at] = RAMP[i].r + t * (RAMP[i + 1].r - RAMP[i].r);
  out[at + 1] = RAMP[i].g + t * (RAMP[i + 1].g - RAMP[i].g);
  out[at + 2] = RAMP[i].b + t * (RAMP[i + 1].b - RAMP[i].b);
}

// The colour of a share, as a screen's red, green and blue.
export function painted(share) {
  const light = [0, 0, 0];
  ramp(share, light, 0);
  return new THREE.Color(...light).convertLinearToSRGB().toArray().map((part) => Math.round(255 * part));
}

export const rampOf = () => `linear-gradient(90deg, ${RAMP.map((c) => `#${c.getHexString()}`).join(", ")})`;

export function speedOf(crowd, i) {
  const v = crowd.velocity;
  return Math.hypot(v[3 * i], v[3 * i + 1], v[3 * i + 2]);
}

// A gauge at a frame: the greatest of those of all matters that have it.
export function gaugeOf(gauges, name) {
  return Math.max(0, ...Object.values(gauges.matter).map((of) => of[name] ?? 0));
}

// The speed that most frames' fastest stays under: one scale for the whole run.
export function usualTop(measured) {
  const tops = [...measured.values()].map((g) => gaugeOf(g, "greatest_speed")).filter((s) => s > 0).sort((a, b) => a - b);
  return tops.length ? tops[Math.floor(0.6 * (tops.length - 1))] : 1;
}

// The most that any bond of the run bears of its strength.
export const mostBorne = (measured) => Math.min(1, Math.max(1e-9, ...[...measured.values()].map((g) => gaugeOf(g, "greatest_load"))));

// Colours (3 floats each) and heat of the elements of one matter. Dull ones have a heat below zero. `weights` are those
// in a zone, for by = "zone ...".
export function coloured(crowd, by, shot, top, weights) {
  const colours = new Float32Array(3 * crowd.count), heat = new Float32Array(crowd.count);
  const states = shot.states.map((s) => new THREE.Color(s.colour)), dull = shot.states.map((s) => s.shine === "dull");
  const oldest = (shot.last - shot.first) / shot.rate, own = new THREE.Color();
  const under = shot.skins.filter((s) => s.shown === "instead" && s.wraps === crowd.name), whole = under.some((s) => s.whom === null);
  const wrapped = shot.states.map((state) => under.some((s) => s.whom === state.id));
  const zoned = by.startsWith("zone ") && weights?.length === crowd.count;
  for (let i = 0; i < crowd.count; i++) {
    const state = crowd.state[i];
    if ((whole || wrapped[state]) && crowd.kind === "points") { heat[i] = -2; continue; }
    heat[i] = state < 0 || dull[state] ? -1 : 0.15 + 0.85 * Math.exp(-crowd.age[i] / 1.6);
    if (zoned) ramp(weights[i], colours, 3 * i);
    else if (by === "speed") ramp(speedOf(crowd, i) / top, colours, 3 * i);
    else if (by === "sleep" && crowd.asleep) (crowd.asleep[i] ? ASLEEP : AWAKE).toArray(colours, 3 * i);
    else if (by === "load" && crowd.load) ramp(crowd.load[i] / top, colours, 3 * i);
    else if (by === "age") ramp(1 - crowd.age[i] / oldest, colours, 3 * i);
    else {
      const tinted = by === "paint" && crowd.colour[i] >= 0x1000000;
      const c = tinted ? own.setHex(crowd.colour[i] & 0xffffff) : states[state] ?? WHITE;
      colours[3 * i] = c.r; colours[3 * i + 1] = c.g; colours[3 * i + 2] = c.b;
    }
  }
  return { colours, heat, painted: by === "paint" };
}

export function node(tag, className, text) {
  const made = document.createElement(tag);
  if (className) made.className = className;
  if (text !== undefined) made.textContent = text;
  return made;
}

export function drawLegend(root, by, shot, top, gauges, weights) {
  root.replaceChildren();
  if (by === "state" || by === "paint") {
    for (const state of shot.states) {
      const line = node("div", "line"), dot = node("span", "paint");
      dot.style.background = state.colour;
      const count = gauges ? String(gauges.by_state[state.id] ?? 0) : "";
      line.append(dot, node("span", "", state.name), node("b", "", count));
      root.append(line);
    }
    return;
  }
  if (by === "sleep") {
    const of = gauges?.matter.rigid;
    for (const [name, colour, count] of [["awake", AWAKE, of ? of.count - of.asleep : ""], ["asleep", ASLEEP, of?.asleep ?? ""]]) {
      const line = node("div", "line"), dot = node("span", "paint");
      dot.style.background = `#${colour.getHexString()}`;
      line.append(dot, node("span", "", name), node("b", "", String(count)));
      root.append(line);
    }
    return;
  }
  if (by.startsWith("zone ")) {
    const bar = node("span", "ramp"), ends = node("div", "ends"), line = node("div", "line");
    bar.style.background = rampOf();
    ends.append(node("span", "", "0"), node("span", "", "weight 1"));
    const inside = Object.values(weights ?? {}).reduce((sum, of) => sum + of.reduce((n, w) => n + (w > 0.5), 0), 0);
    line.append(node("span", "", "inside"), node("b", "", weights ? String(inside) : ""));
    root.append(node("div", "", shot.zones.find((z) => z.id === by.slice(5))?.name ?? ""), bar, ends, line);
    return;
  }
  const hot = by === "speed" || by === "load";
  const bar = node("span", "ramp"), ends = node("div", "ends");
  const stops = RAMP.map((c) => `#${c.getHexString()}`);
  bar.style.background = `linear-gradient(90deg, ${(hot ? stops : stops.reverse()).join(", ")})`;
  const end = { speed: `${top.toFixed(1)} m/s or more`, load: `${(100 * top).toPrecision(2)} %` }[by] ?? `${((shot.last - shot.first) / shot.rate).toFixed(1)} s`;
  ends.append(node("span", "", "0"), node("span", "", end));
  root.append(node("div", "", by === "load" ? "load of the bonds over their strength" : by), bar, ends);
  if (by === "load" && gauges) {
    const line = node("div", "line"), most = 100 * gaugeOf(gauges, "greatest_load");
    line.append(node("span", "", "the greatest"), node("b", "", `${most.toPrecision(2)} %`));
    root.append(line);
  }
}
