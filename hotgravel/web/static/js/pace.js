// One drawing at a time, and how many points it can hold: by how long the drawings before took on the machine at hand.
const MOVING = { seconds: 0.15, least: 4000, most: 150000 }, STILL = { seconds: 4, least: 50000, most: Infinity };
const FEW = 2000;  // points, of which nothing is learnt
const AT_FIRST = 4000;  // points, while nothing has been learnt

export class Pace {
  // `learnt` is called once it is known what a point costs.
  constructor(gl, learnt) {
    Object.assign(this, { gl, learnt });
    this.cost = 0;  // seconds a point
    this.busy = false;
  }

  // To be called when a drawing of so many points has been handed to the graphics card, which may take its time.
  watch(points) {
    const { gl } = this, began = performance.now(), done = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
    gl.flush();
    if (!done) return;  // the context is lost
    this.busy = true;
    const ask = () => {
      if (!gl.isContextLost() && gl.getSyncParameter(done, gl.SYNC_STATUS) === gl.UNSIGNALED) { setTimeout(ask, 8); return; }
      gl.deleteSync(done);
      this.busy = false;
      if (points >= FEW) this.learn((performance.now() - began) / 1000 / points);
    };
    setTimeout(ask, 0);
  }

  // Dearer is believed at once, cheaper by and by.
  learn(cost) {
    const first = this.cost === 0;
    this.cost = cost > this.cost ? cost : 0.7 * this.cost + 0.3 * cost;
    if (first) this.learnt();
  }

  affordable(still) {
    if (this.cost === 0) return AT_FIRST;
    const { seconds, least, most } = still ? STILL : MOVING;
    return Math.min(most, Math.max(least, Math.round(seconds / this.cost)));
  }
}
