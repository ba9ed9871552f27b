// A run as the bench follows it: started, heard of frame by frame, cancelled.

async function answerOf(answer) {
  if (answer.status === 204) return null;
  const body = await answer.json();
  if (!answer.ok) throw Object.assign(new Error(body.detail), { offers: body.offers ?? [] });
  return body;
}

export const startRun = (shot) => fetch(`/shots/${shot}/runs`, { method: "POST" }).then(answerOf);
export const resumeRun = (run) => fetch(`/runs/${run}/resume`, { method: "POST" }).then(answerOf);
export const cancelRun = (run) => fetch(`/runs/${run}/cancel`, { method: "POST" }).then(answerOf);
export const getJson = (url) => fetch(url).then(answerOf);

// Calls landed(frame, gauges) for every frame so far and to come, ended(state, message) once, and preparing(kernel) while
// the run waits for one.
export function follow(run, { landed, ended, preparing }) {
  const feed = new EventSource(`/runs/${run}/feed`);
  const known = new Set();
  feed.onmessage = ({ data }) => {
    const news = JSON.parse(data);
    if (news.ended) {
      feed.close();
      ended(news.ended, news.message);
    } else if (news.preparing) {
      preparing(news.preparing);
    } else if (!known.has(news.frame)) {
      known.add(news.frame);
      landed(news.frame, news.gauges);
    }
  };
  return () => feed.close();
}

// Time left from the frames of the last seconds, so that it settles and yet follows changes.
export class Progress {
  constructor(first, last) { Object.assign(this, { first, last, times: [] }); }

  land(frame) {
    this.frame = frame;
    this.times.push([frame, performance.now()]);
    if (this.times.length > 40) this.times.shift();
  }

  share() { return this.frame === undefined ? 0 : (this.frame - this.first + 1) / (this.last - this.first + 1); }

  left() {
    if (this.times.length < 4) return null;
    const [f0, t0] = this.times[0], [f1, t1] = this.times.at(-1);
    return f1 > f0 ? ((t1 - t0) / (f1 - f0)) * (this.last - f1) / 1000 : null;
  }
}

export function inWords(seconds) {
  if (seconds === null) return "estimating";
  if (seconds < 1.5) return "about a second left";
  if (seconds < 90) return `about ${Math.round(seconds)} s left`;
  return `about ${Math.round(seconds / 60)} min left`;
}
