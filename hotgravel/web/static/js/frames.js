// Frames of a run: fetched, unpacked, kept within a budget, and asked for ahead of the playhead.
import { unpack } from "./wire.js";

const BUDGET = 500 * 1024 * 1024;
const AT_ONCE = 4;
const ENOUGH = 0.7;  // of what could be drawn by now: what was fetched with less is fetched again

export class Frames {
  // `affordable` tells how many points of a matter are fetched, of a frame that stands still (true) or goes by.
  constructor(run, affordable) {
    Object.assign(this, { run, affordable });
    this.kept = new Set();
    this.cache = new Map();
    this.bytes = 0;
    this.waiting = [];
    this.asked = new Map();
    this.dropped = false;
  }

  land(frame) { this.kept.add(frame); }

  // Whether as much of a frame is there as is wanted of it.
  has(frame, whole) {
    const there = this.cache.get(frame);
    return Boolean(there) && (!there.groups.some((crowd) => crowd.every > 1) || there.most >= ENOUGH * this.affordable(whole));
  }

  // The frame, from the cache or the server; null if the run was left meanwhile. Without `whole`, crowds may be thinned.
  get(frame, whole) {
    if (!this.has(frame, whole)) return this.ask(frame, whole, true);
    const there = this.cache.get(frame);
    this.cache.delete(frame);
    this.cache.set(frame, there);
    return Promise.resolve(there);
  }

  ask(frame, whole, first) {
    const key = `${frame} ${whole}`, old = this.asked.get(`${frame} true`) ?? this.asked.get(key);
    if (old) {
      if (first && this.waiting.includes(old)) {
        this.waiting.splice(this.waiting.indexOf(old), 1);
        this.waiting.unshift(old);
      }
      return old.promise;
    }
    const job = { frame, whole, key };
    job.promise = new Promise((resolve, reject) => Object.assign(job, { resolve, reject }));
    this.asked.set(key, job);
    if (first) this.waiting.unshift(job); else this.waiting.push(job);
    this.next();
    return job.promise;
  }

  // Frames that will be wanted soon; those asked for before and no longer wanted are forgotten.
  ahead(frames) {
    const wanted = new Set(frames);
    for (const job of this.waiting.filter((j) => !wanted.has(j.frame))) {
      this.waiting.splice(this.waiting.indexOf(job), 1);
      this.asked.delete(job.key);
      job.resolve(null);
    }
    for (const frame of frames) {
      if (this.kept.has(frame) && !this.has(frame, false)) this.ask(frame, false, false).catch(() => {});
    }
  }

  next() {
    const going = this.asked.size - this.waiting.length;
    if (going >= AT_ONCE || !this.waiting.length) return;
    const job = this.waiting.shift();
    this.load(job.frame, job.whole).then(job.resolve, job.reject).finally(() => {
      this.asked.delete(job.key);
      this.next();
    });
    this.next();
  }

  async load(number, whole) {
    const most = this.affordable(whole);
    const answer = await fetch(`/runs/${this.run}/frames/${number}.bin${Number.isFinite(most) ? `?most=${most}` : ""}`);
    if (!answer.ok) throw new Error((await answer.json()).detail);
    const frame = Object.assign(unpack(await answer.arrayBuffer()), { most });
    if (this.dropped) return null;
    const there = this.cache.get(number);
    if (there?.most > most) return there;  // it was asked for twice, and more of it came first
    this.bytes += frame.bytes - (there?.bytes ?? 0);
    this.cache.delete(number);
    this.cache.set(number, frame);
    for (const [oldest, old] of this.cache) {
      if (this.bytes <= BUDGET || oldest === number) break;
      this.cache.delete(oldest);
      this.bytes -= old.bytes;
    }
    return frame;
  }

  drop() { this.dropped = true; this.ahead([]); this.cache.clear(); }
}
