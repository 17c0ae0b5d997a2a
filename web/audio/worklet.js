// Plays stereo samples that the page sends ahead of time. The ring is indexed
// by the place in the stream, so that what is not heard yet can be replaced.

const size = 1 << 19; // samples a channel: about ten seconds
const mask = size - 1;
const ramp = 96; // samples over which starting, stopping and running dry are eased
const splice = 480; // samples over which a replacement is faded in

class SeamPlayer extends AudioWorkletProcessor {
  constructor() {
    super();
    this.left = new Float32Array(size);
    this.right = new Float32Array(size);
    this.reset(0);
    this.port.onmessage = (e) => this.heed(e.data);
  }

  reset(session) {
    this.session = session;
    this.at = 0; // next sample to play
    this.end = 0; // samples up to here are here
    this.stale = 0; // up to here they may be of before a replacement
    this.last = Infinity; // the stream ends here
    this.playing = false;
    this.stopping = 0;
    this.rise = 0; // up to ramp: how far the sound has come up
    this.quanta = 0;
    this.forget();
  }

  // forget begins what the meters are told of anew.
  forget() {
    this.peak = [0, 0];
    this.square = [0, 0];
    this.count = 0;
  }

  heed(m) {
    if (m.kind === "start") {
      this.reset(m.session);
      this.playing = true;
    } else if (m.session !== this.session) {
      return;
    } else if (m.kind === "stop") {
      if (this.playing) this.stopping = ramp;
    } else if (m.kind === "data") {
      this.write(m);
    }
  }

  // write takes interleaved samples for a place in the stream. A replacement of
  // what is there already is faded in, and what lies behind it is forgotten, but
  // for what it takes to go quiet where it comes late: the sound that follows is
  // then faded in over that.
  write({ at, data, replace, last }) {
    const n = data.length / 2;
    if (last) this.last = at + n;
    else if (replace) this.last = Infinity;
    const first = Math.max(0, this.at - at),
      over = Math.min(splice, (replace ? this.end : this.stale) - (at + first));
    for (let i = first; i < n; i++) {
      const k = (at + i) & mask,
        mix = i - first < over ? (i - first + 1) / over : 1;
      this.left[k] = mix === 1 ? data[2 * i] : this.left[k] + (data[2 * i] - this.left[k]) * mix;
      this.right[k] = mix === 1 ? data[2 * i + 1] : this.right[k] + (data[2 * i + 1] - this.right[k]) * mix;
    }
    if (!replace) {
      this.end = Math.max(this.end, at + n);
      return;
    }
    this.stale = Math.max(at + n, Math.min(this.end, this.at + ramp));
    this.end = this.stale;
    // What is kept goes on from as far as the replacement was faded in.
    const mix = Math.max(Math.min((n - first) / Math.max(over, 1), 1), 0);
    for (let i = Math.max(n, first); mix > 0 && at + i < this.stale; i++) {
      const k = (at + i) & mask;
      this.left[k] += (data[2 * n - 2] - this.left[k]) * mix;
      this.right[k] += (data[2 * n - 1] - this.right[k]) * mix;
    }
  }

  process(_, outputs) {
    const [l, r] = outputs[0];
    if (!this.playing) return true;
    const stop = Math.min(this.end, this.last);
    let i = 0;
    for (; i < l.length && this.at < stop; i++, this.at++) {
      const k = this.at & mask;
      const dry = stop === this.last ? ramp : stop - this.at;
      if (dry < this.rise) this.rise = dry; // the next samples are late
      let g = this.rise / ramp;
      if (this.rise < ramp) this.rise++;
      if (this.stopping) {
        g *= --this.stopping / ramp;
        if (!this.stopping) {
          this.finish();
          return true;
        }
      }
      l[i] = this.left[k] * g;
      r[i] = this.right[k] * g;
      this.peak[0] = Math.max(this.peak[0], Math.abs(l[i]));
      this.peak[1] = Math.max(this.peak[1], Math.abs(r[i]));
      this.square[0] += l[i] * l[i];
      this.square[1] += r[i] * r[i];
      this.count++;
    }
    if (this.stopping && i === 0) {
      this.finish();
      return true;
    }
    if (this.at >= this.last) {
      this.finish();
      return true;
    }
    if (i < l.length) this.rise = 0;
    if (this.quanta++ % 8 === 0) this.tell(i < l.length && this.at > 0);
    return true;
  }

  tell(starved) {
    this.port.postMessage({
      kind: "at",
      session: this.session,
      at: this.at,
      time: currentTime + 128 / sampleRate,
      peak: this.peak,
      power: this.square.map((v) => v / Math.max(this.count, 1)),
      seconds: this.count / sampleRate,
      starved,
    });
    this.forget();
  }

  finish() {
    if (this.count) this.tell(false); // the last of it counts at the meters too
    this.playing = false;
    this.port.postMessage({ kind: "ended", session: this.session, at: this.at });
  }
}

registerProcessor("seam-player", SeamPlayer);
