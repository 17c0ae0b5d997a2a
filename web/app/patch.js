// The list of seams after a change, made of the list before it: what stays is the
// very same, so that nothing need be made anew for it.

/** A seam elsewhere, with the picture cut that it belongs to. @param {Seam} s @param {number} by @returns {Seam} */
const moved = (s, by) => ({ ...s, at: s.at + by, ...(s.cut?.left ? { cut: { ...s.cut, at: s.cut.at + by } } : {}) });

/**
 * @param {readonly Seam[]} seams
 * @param {Patch} patch
 * @param {(s: Seam) => Seam} [taken] what is made of a seam that is new or differs
 * @returns {Seam[]}
 */
export function patched(seams, patch, taken = (s) => s) {
  const key = (/** @type {{left: number, right: number}} */ s) => `${s.left}-${s.right}`;
  const out = new Set([...patch.gone, ...patch.now].map(key));
  const stay = out.size ? seams.filter((s) => !out.has(key(s))) : seams;
  /** @type {Seam[]} */
  const list = [];
  let next = 0;
  for (const { place, ...s } of patch.now) {
    while (list.length < place && next < stay.length) list.push(stay[next++]);
    list.push(taken(s));
  }
  while (next < stay.length) list.push(stay[next++]);
  for (const { first, last, by } of patch.moves) for (let i = first; i <= last; i++) list[i] = moved(list[i], by);
  return list;
}
