// Frames of pictures: fetched as they are wanted, a dozen at a time, and kept
// while there is room for them.

const few = 12,
  keep = 180,
  keepSmall = 900,
  together = 3;

export class Frames {
  /** @param {() => void} arrived called when something came that was missing */
  constructor(arrived) {
    this.arrived = arrived;
    /** @type {Map<string, ImageBitmap | null>} null while it is on its way */
    this.large = new Map();
    /** @type {Map<string, ImageBitmap | null>} for the lane, forty pixels high */
    this.small = new Map();
    /** @type {(() => Promise<void>)[]} */
    this.waiting = [];
    this.busy = 0;
  }

  /**
   * A frame of a picture, or null until it is here.
   * @param {string} hash
   * @param {number} n
   */
  get(hash, n) {
    const key = `${hash}/${n}`,
      have = this.large.get(key);
    if (have) {
      this.large.delete(key); // looked at last: kept longest
      this.large.set(key, have);
      return have;
    }
    if (have === undefined) {
      // The neighbours wait until the one that is looked for is on its way.
      this.fetch(this.large, hash, n + 1, few, 1, {}, n + 1);
      this.fetch(this.large, hash, n, 1, 1, {}, n);
    }
    return null;
  }

  /** Whether a frame is here. @param {string} hash @param {number} n */
  has(hash, n) {
    return Boolean(this.large.get(`${hash}/${n}`));
  }

  /** Fetches what will be wanted soon. @param {string} hash @param {number} n @param {number} count */
  ahead(hash, n, count) {
    for (let k = n; k < n + count; k++) if (!this.large.has(`${hash}/${k}`)) return this.fetch(this.large, hash, k, few, 1, {}, k);
  }

  /** A frame for the lane. @param {string} hash @param {number} n @param {number} step frames from one of the lane's to the next */
  thumb(hash, n, step) {
    const key = `${hash}/${n}`,
      have = this.small.get(key);
    if (have === undefined) this.fetch(this.small, hash, n, Math.min(few * 2, 24), step, { resizeHeight: 40, resizeQuality: "medium" }, n);
    return have ?? null;
  }

  /**
   * @param {Map<string, ImageBitmap | null>} into @param {string} hash @param {number} from @param {number} count @param {number} step
   * @param {ImageBitmapOptions} options @param {number} first what is wanted most
   */
  fetch(into, hash, from, count, step, options, first) {
    /** @type {number[]} */
    const wanted = [];
    for (let k = 0; k < count; k++) {
      const n = from + k * step;
      if (!into.has(`${hash}/${n}`)) {
        wanted.push(n);
        into.set(`${hash}/${n}`, null);
      }
    }
    if (!wanted.length) return;
    const forget = () => wanted.forEach((n) => into.get(`${hash}/${n}`) === null && into.delete(`${hash}/${n}`));
    this.waiting.unshift(async () => {
      try {
        const res = await fetch(`/api/v1/pictures/${hash}/frames?from=${from}&count=${count}&step=${step}`);
        if (!res.ok) return;
        const b = await res.arrayBuffer(),
          view = new DataView(b);
        /** @type {[number, Blob][]} */
        const jobs = [];
        for (let at = 0, k = 0; at + 4 <= b.byteLength; k++) {
          const size = view.getUint32(at, true),
            n = from + k * step;
          if (at + 4 + size > b.byteLength) break;
          if (into.get(`${hash}/${n}`) === null) jobs.push([n, new Blob([new Uint8Array(b, at + 4, size)], { type: "image/jpeg" })]);
          at += 4 + size;
        }
        // The one that is looked for is drawn without waiting for the others.
        jobs.sort((x, y) => Math.abs(x[0] - first) - Math.abs(y[0] - first));
        for (const [n, blob] of jobs) {
          into.set(`${hash}/${n}`, await createImageBitmap(blob, options));
          if (n === first) this.arrived();
        }
      } catch {
        // The line tells when the server is away; it is asked for again when it is wanted again.
      } finally {
        forget();
        this.trim(into, into === this.large ? keep : keepSmall);
        this.arrived();
      }
    });
    // What was wanted a while ago is not any more.
    for (const old of this.waiting.splice(40)) void old;
    this.pump();
  }

  pump() {
    while (this.busy < together) {
      const job = this.waiting.shift();
      if (!job) return;
      this.busy++;
      void job().finally(() => {
        this.busy--;
        this.pump();
      });
    }
  }

  /** @param {Map<string, ImageBitmap | null>} from @param {number} most */
  trim(from, most) {
    for (const [key, bitmap] of from) {
      if (from.size <= most) return;
      if (!bitmap) continue;
      bitmap.close();
      from.delete(key);
    }
  }
}
