// The session: what this page has chosen, marked, set and is hearing. It is the
// one place where that is kept; panels and canvases read it and are told when it
// changes. The reel itself is in doc.js.

/**
 * @typedef {object} State
 * @property {Seam | null} seam the seam that is shown
 * @property {Set<number>} chosen clips that are selected
 * @property {Set<number>} points points of gain lines that are selected
 * @property {Set<number>} working active tracks: those that a span and the keys act on
 * @property {{from: number, to: number} | null} span what is marked on the timeline, in samples
 * @property {Track | null} track the track whose settings are shown
 * @property {Listed | null} source the source that is shown
 * @property {string} stage what the middle shows: "seam" or "source"
 * @property {{from: number, to: number, text: string}} mark the stretch that is marked in the source
 * @property {number} target the track that sources are inserted on
 * @property {string} acting what the trim keys move: an edge, the cut, the blend, clips
 * @property {Later} later what clips after an edit do
 * @property {Later} following the way of following that was set last
 * @property {boolean} snapping
 * @property {boolean} playing
 * @property {string} hearing what is heard: "blend", "hard", "out", …
 * @property {boolean} looping
 */

/** @returns {State} */
const beginning = () => ({
  seam: null,
  chosen: new Set(),
  points: new Set(),
  working: new Set(),
  span: null,
  track: null,
  source: null,
  stage: "seam",
  mark: { from: 0, to: 0, text: "" },
  target: 0,
  acting: "cut",
  later: "stay",
  following: "follow",
  snapping: true,
  playing: false,
  hearing: "",
  looping: false,
});

/**
 * Values are taken as they are and never altered in place: what is new is set.
 * @typedef {State & {
 *   get: <K extends keyof State>(key: K) => State[K],
 *   set: <K extends keyof State>(key: K, value: State[K]) => void,
 *   subscribe: (keys: (keyof State)[], heed: () => void) => () => void,
 * }} Session
 */

/**
 * @param {<T extends object>(state: T) => T} [reactive] makes the pages' framework see reads and changes
 * @returns {Session}
 */
export function createSession(reactive = (state) => state) {
  const state = reactive(beginning());
  /** @type {Map<string, Set<() => void>>} */
  const heeders = new Map();
  const session = {
    /** @param {keyof State} key */
    get: (key) => state[key],
    /** @param {keyof State} key @param {any} value */
    set(key, value) {
      // What cannot be extended is left as it is by the framework: canvases read it thousands of times.
      if (value && typeof value === "object") Object.preventExtensions(value);
      if (Object.is(state[key], value)) return;
      /** @type {any} */ (state)[key] = value;
      for (const heed of [...(heeders.get(key) ?? [])]) heed();
    },
    /** Calls back after any of the keys has changed, until what is returned is called. @param {(keyof State)[]} keys @param {() => void} heed */
    subscribe(keys, heed) {
      for (const key of keys) heeders.set(key, (heeders.get(key) ?? new Set()).add(heed));
      return () => keys.forEach((key) => heeders.get(key)?.delete(heed));
    },
  };
  for (const key of /** @type {(keyof State)[]} */ (Object.keys(state))) {
    Object.defineProperty(session, key, { get: () => state[key], set: (value) => session.set(key, value), enumerable: true });
  }
  return /** @type {Session} */ (Object.preventExtensions(session));
}
