// The playhead: plays at the shot's rate and skips frames rather than slowing down.

const AHEAD = 24;

export class Player {
  constructor({ show, told }) {
    this.show = show;      // (frame data) draws it
    this.told = told;      // () the playhead or the rate changed
    this.moved = false;
    this.frames = null;
    this.rate = 24;
    this.first = 1;
    this.last = 1;
    this.frame = 1;
    this.playing = false;
    this.way = 1;
    this.following = false;
    this.shown = [];
    this.busy = false;
    this.fault = "";
    this.shownAt = null;   // by frame of the shot: the frame of the run that a retime shows
  }

  use(frames, first, rate) {
    if (this.frames) this.frames.drop();
    Object.assign(this, { frames, first, last: first, rate, frame: first, playing: false, fault: "" });
    this.tell();
  }

  moving() { return Boolean(this.playing || this.following); }

  // What has come to a stand is drawn again, whole.
  tell() {
    const stood = this.moved && !this.moving();
    this.moved = this.moving();
    this.told();
    if (stood && this.frames) this.draw();
  }

  land(frame) {
    this.frames.land(frame);
    this.last = Math.max(this.last, frame);
    if (this.following) this.seek(frame);
    this.tell();
  }

  // Kept frames are always a range without holes from the first on.
  async seek(frame) {
    if (!this.frames || !this.frames.kept.size) return;
    this.frame = Math.max(this.first, Math.min(this.last, Math.round(frame)));
    const drawn = this.draw();  // which asks for it first, and whole if it stands still
    this.frames.ahead(this.wanted());
    this.tell();
    await drawn;
  }

  wanted() {
    if (this.following) return [this.frame];
    const span = this.last - this.first + 1;
    return Array.from({ length: Math.min(AHEAD, span) }, (_, i) => this.first + ((((this.frame - this.first + this.way * i) % span) + span) % span));
  }

  // Draw the frame the playhead is at; while one is fetched, only the newest wish counts, and more of it may be wanted.
  async draw() {
    if (this.busy) return;
    this.busy = true;
    const frames = this.frames;
    try {
      let wish = null, whole = null;
      while (frames === this.frames && (wish !== this.frame || whole === this.moving() || !frames.has(wish, whole))) {
        [wish, whole] = [this.frame, !this.moving()];
        const data = await frames.get(wish, whole);
        if (data && frames === this.frames) {
          this.show(data);
          this.shown.push(performance.now());
        }
      }
      this.fault = "";
    } catch (error) {
      this.fault = error.message;
      this.playing = false;
    }
    this.busy = false;
    this.tell();
  }

  toggle() { if (this.playing) this.pause(); else this.play(); }

  pause() { this.playing = false; this.tell(); }

  play() {
    if (!this.frames || this.last <= this.first) return;
    this.following = false;
    this.playing = true;
    const back = this.way < 0;
    const from = back ? (this.frame <= this.first ? this.last : this.frame) : this.frame >= this.last ? this.first : this.frame;
    const began = performance.now();
    const start = this.shownAt ? (back ? this.shownAt.length - 1 : 0) : from - this.first;
    const tick = () => {
      if (!this.playing) return;
      const span = this.shownAt ? this.shownAt.length : this.last - this.first + 1;
      const on = Math.floor(((performance.now() - began) / 1000) * this.rate);
      const at = (((start + this.way * on) % span) + span) % span;
      const frame = this.shownAt ? this.shownAt[at] : this.first + at;
      if (frame !== this.frame) this.seek(frame);
      requestAnimationFrame(tick);
    };
    this.seek(this.shownAt ? this.shownAt[start] : from);
    requestAnimationFrame(tick);
  }

  // Frames drawn in the last second.
  realRate() {
    const now = performance.now();
    this.shown = this.shown.filter((t) => now - t < 1000);
    return this.shown.length;
  }
}
