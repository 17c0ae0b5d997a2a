// What lies on the tracks, and what a change makes of it.

/**
 * @template {{id: number}} T
 * @param {Map<number, T>} things
 * @param {Pair<T>[] | undefined} pairs
 */
export function apply(things, pairs) {
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
  apply(lie.clips, change.clips);
  for (const s of change.shifts ?? []) {
    for (const id of s.clips) {
      const c = lie.clips.get(id);
      if (c) lie.clips.set(id, { ...c, start: c.start + s.by });
    }
  }
  apply(lie.blends, change.blends);
  apply(lie.markers, change.markers);
  apply(lie.ties, change.ties);
  if (change.strikes) {
    apply(lie.strikes, change.strikes);
    lie.struck = byClip(lie.strikes);
  }
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
