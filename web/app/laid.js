// What lies on the tracks, and what a change makes of it.

/** The kinds of things that a reel keeps, by where it and its changes keep them. */
const kinds = /** @type {const} */ ([
  "tracks",
  "sources",
  "clips",
  "blends",
  "markers",
  "strikes",
  "points",
  "treatments",
  "swatches",
  "ties",
]);

/** The things of a reel by their ids. @param {Version["reel"] | null} reel @returns {Things} */
export function thingsOf(reel) {
  const lists = /** @type {Record<string, {id: number}[] | null | undefined>} */ (reel ?? {});
  return /** @type {any} */ (Object.fromEntries(kinds.map((k) => [k, new Map((lists[k] ?? []).map((t) => [t.id, t]))])));
}

/** The same things, to be changed on their own. @param {Things} of @returns {Things} */
export function copied(of) {
  return /** @type {any} */ (Object.fromEntries(kinds.map((k) => [k, new Map(/** @type {Map<number, unknown>} */ (of[k]))])));
}

/**
 * @template {{id: number}} T
 * @param {Map<number, T>} things
 * @param {Pair<T>[] | undefined} pairs
 */
function apply(things, pairs) {
  for (const p of pairs ?? []) {
    if (p.after) things.set(p.after.id, p.after);
    else if (p.before) things.delete(p.before.id);
  }
}

/**
 * What lies on the tracks after a change.
 * @param {Laid} lie
 * @param {Change} change
 */
export function lay(lie, change) {
  for (const k of kinds) apply(/** @type {Map<number, any>} */ (lie[k]), change[k]);
  for (const s of change.shifts ?? []) {
    for (const id of s.clips) {
      const c = lie.clips.get(id);
      if (c) lie.clips.set(id, { ...c, start: c.start + s.by });
    }
  }
  if (change.strikes) lie.struck = byClip(lie.strikes);
  if (change.points) lie.lines = linesOf(lie.points, lie.lines);
  if (change.clips || change.shifts) lie.lanes = lanesOf(lie.clips);
}

/** Sorts clips onto their tracks. @param {Map<number, Clip>} clips */
export function lanesOf(clips) {
  /** @type {Map<number, Clip[]>} */
  const lanes = new Map();
  for (const c of clips.values()) {
    const lane = lanes.get(c.track);
    if (lane) lane.push(c);
    else lanes.set(c.track, [c]);
  }
  for (const lane of lanes.values()) lane.sort((a, b) => a.start - b.start);
  return lanes;
}

/** Struck spans by the clip that they are of, by time. @param {Map<number, Strike>} strikes */
export function byClip(strikes) {
  /** @type {Map<number, Strike[]>} */
  const out = new Map();
  for (const s of strikes.values())
    out.set(
      s.clip,
      [...(out.get(s.clip) ?? []), s].sort((a, b) => a.from - b.from),
    );
  return out;
}

/** Gain lines by the clip or track that they are of, those under speech by minus the track: their points by time. What has not changed stays the very same. @param {Map<number, Point>} points @param {Map<number, Point[]>} [was] */
export function linesOf(points, was) {
  /** @type {Map<number, Point[]>} */
  const out = new Map();
  for (const p of points.values()) {
    const on = p.duck ? -(p.track ?? 0) : p.clip || p.track || 0,
      line = out.get(on);
    if (line) line.push(p);
    else out.set(on, [p]);
  }
  for (const [on, line] of out) {
    line.sort((a, b) => a.at - b.at);
    const before = was?.get(on);
    if (before?.length === line.length && line.every((p, i) => p === before[i])) out.set(on, before);
  }
  return out;
}

/** Whether a change may alter what is heard. @param {Change} c */
export const isHeard = (c) =>
  Boolean(c.clips || c.shifts || c.blends || c.strikes || c.points || c.treatments || c.tracks || c.sources || c.props);
