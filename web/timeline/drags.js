// The timeline's drags. While one goes on, what it leads to is asked of the
// server and drawn; where it cannot go further, it says why and stays there.

import { Problem } from "../app/api.js";
import { Rehearsal } from "../app/rehearsal.js";
import { at as timecode, frameLength, frames, shift, span as say } from "../lib/timecode.js";

/** @typedef {import("./timeline.js").Timeline} Timeline */

/** Shows what an edit that is tried would lead to, or why it cannot be, in words beside the pointer. @param {Timeline} t @param {DryRun | Problem} r @param {{x: number, y: number}} here */
export function showTried(t, r, here) {
  if (r instanceof Problem) {
    t.rehearse(null);
    t.words = { ...here, lines: [], stops: r.message };
  } else {
    t.rehearse(r.change);
    t.words = {
      ...here,
      lines: [...(r.outcome.says ?? []), ...(r.peaks ? [r.peaks.words] : []), ...(r.outcome.notes ?? [])],
      stops: r.stops ?? "",
    };
  }
  t.hint([t.words.stops, ...t.words.lines].filter(Boolean).join(" · "));
}

/**
 * A drag that is an edit by so many samples.
 * @param {Timeline} t
 * @param {PointerEvent} e
 * @param {object} make
 * @param {string} make.kind
 * @param {(raw: number, m: PointerEvent) => number} make.by what the pointer's way amounts to, snapped
 * @param {(by: number, m: PointerEvent) => Record<string, any>} make.what
 * @param {CloseUpQuery} [make.closeUp] the seam to show meanwhile
 * @param {string} [make.cursor]
 * @param {() => void} make.click what happens when nothing was dragged
 */
export function dragBy(t, e, { kind, by, what, closeUp, cursor, click }) {
  const start = t.placeOf(e);
  /** @type {Record<string, any> | null} */
  let want = null;
  let here = t.point(e);
  const rehearsal = new Rehearsal(
    t.doc,
    (r) => {
      showTried(t, r, here);
      if (!(r instanceof Problem) && r.closeUp) t.dispatchEvent(new CustomEvent("close-up", { detail: r }));
    },
    true,
  );
  t.drag(
    e,
    t.parts.lanes,
    (m) => {
      here = t.point(m);
      want = what(by(t.placeOf(m) - start, m), m);
      if (cursor) t.parts.lanes.style.cursor = cursor;
      rehearsal.try(kind, want, closeUp);
    },
    (moved, kept) => {
      rehearsal.end();
      t.words = null;
      t.rehearse(null);
      if (closeUp) t.dispatchEvent(new CustomEvent("close-up", { detail: null }));
      if (!kept) t.doc.dropTrial();
      if (!moved && kept) click();
      else if (kept && want) t.dispatchEvent(new CustomEvent("edit", { detail: { kind, what: want, nearest: true } }));
    },
  );
}

/** Trims an end; ends of chosen clips that lie at the same place go along. @param {Timeline} t @param {PointerEvent} e @param {Clip} clip @param {"head" | "tail"} end */
export function dragEdge(t, e, clip, end) {
  const edge = (/** @type {Clip} */ c) => (end === "head" ? c.start : c.start + c.length),
    base = edge(clip);
  const clips = [clip.id];
  if (t.chosen.has(clip.id))
    for (const id of t.chosen) {
      const c = t.doc.clips.get(id);
      if (c && c.id !== clip.id && c.track !== clip.track && edge(c) === base) clips.push(id);
    }
  const seam = t.doc.seams.find((s) => s.kind !== "struck" && s.track === clip.track && (end === "head" ? s.right : s.left) === clip.id);
  if (seam)
    t.dispatchEvent(new CustomEvent("choose-seam", { detail: { seam, edge: end === "head" ? "in" : "out", keep: t.chosen.has(clip.id) } }));
  const but = new Set(clips);
  dragBy(t, e, {
    kind: "trim",
    cursor: "ew-resize",
    by: (raw, m) => t.snapAt(base + raw, m, but) - base,
    what: (by, m) => ({ clips, end, by, later: t.laterOf(m), ...t.tiedOf(m, !t.doc.shows(clip)) }),
    closeUp: seam && { left: seam.left, right: seam.right, around: t.around },
    click: () => t.choose(clip, e.shiftKey),
  });
}

/** Rolls the cut of two clips that meet. @param {Timeline} t @param {PointerEvent} e @param {Seam} seam */
export function dragKnot(t, e, seam) {
  const choose = () => t.dispatchEvent(new CustomEvent("choose-seam", { detail: { seam } }));
  choose();
  if (seam.kind !== "cut") return;
  const but = new Set([seam.left, seam.right]);
  dragBy(t, e, {
    kind: "roll",
    cursor: "col-resize",
    by: (raw, m) => t.snapAt(seam.at + raw, m, but) - seam.at,
    what: (by, m) => ({ left: seam.left, right: seam.right, by, ...t.tiedOf(m, true) }),
    closeUp: { left: seam.left, right: seam.right, around: t.around },
    click: () => {},
  });
}

/** Rolls the cut of two shots, with the sound that belongs to it or, with alt, alone. @param {Timeline} t @param {PointerEvent} e @param {Clip} left @param {Clip} right */
export function dragPicture(t, e, left, right) {
  const seam = t.doc.seams.find((s) => s.cut?.left === left.id && s.cut.right === right.id);
  if (seam) t.dispatchEvent(new CustomEvent("choose-seam", { detail: { seam } }));
  const but = new Set([
    left.id,
    right.id,
    ...[...t.doc.ties.values()].filter((k) => k.shot === left.id || k.shot === right.id).map((k) => k.clip),
  ]);
  dragBy(t, e, {
    kind: "roll",
    cursor: "col-resize",
    by: (raw, m) => t.toFrame(t.snapAt(right.start + raw, m, but)) - right.start,
    what: (by, m) => ({ left: left.id, right: right.id, by, ...t.tiedOf(m) }),
    click: () => t.dispatchEvent(new CustomEvent("playhead", { detail: right.start })),
  });
}

/** Slips the content of a clip, or of all that are chosen. @param {Timeline} t @param {PointerEvent} e @param {Clip} clip */
export function dragRibbon(t, e, clip) {
  const clips = t.chosen.has(clip.id) ? [...t.chosen] : [clip.id],
    frame = frameLength(t.doc.props);
  dragBy(t, e, {
    kind: "slip",
    cursor: "grabbing",
    by: (raw, m) => Math.round(t.session.snapping && !m.ctrlKey && !m.metaKey && t.perPixel > 1 ? Math.round(raw / frame) * frame : raw),
    what: (by, m) => ({ clips, by, ...t.tiedOf(m) }),
    click: () => t.choose(clip, e.shiftKey),
  });
}

/** Slides a clip between its neighbours. @param {Timeline} t @param {PointerEvent} e @param {Clip} clip */
export function dragSlide(t, e, clip) {
  const but = new Set([clip.id]);
  dragBy(t, e, {
    kind: "slide",
    cursor: "grabbing",
    by: (raw, m) => t.snapAt(clip.start + raw, m, but) - clip.start,
    what: (by, m) => ({ clip: clip.id, by, ...t.tiedOf(m) }),
    click: () => t.choose(clip, true),
  });
}

/** What a move says of itself. @param {DryRun} r @param {Clip} clip @param {number} by @param {Props} p */
const movedWords = (r, clip, by, p) =>
  [`${shift(by, p)}, at ${timecode(clip.start + by, p)}`, ...(r.outcome.says ?? []).slice(1), ...(r.outcome.notes ?? [])].join(" · ");

/** Shows where clips would come to lie. @param {Timeline} t @param {Clip[]} clips @param {(c: Clip) => number} trackOf @param {number} by @param {boolean} bad @param {string} words */
function showGhosts(t, clips, trackOf, by, bad, words) {
  t.ghosts = clips
    .slice(0, 400)
    .map((c, i) => ({ track: trackOf(c), start: c.start + by, length: c.length, name: c.name, bad, words: i === 0 ? words : "" }));
  t.redraw();
}

/** How far a clip is moved: its head or its tail snaps, whichever is nearer to something. @param {Timeline} t @param {Clip} clip @param {number} raw @param {PointerEvent} m @param {Set<number>} moving @param {boolean} straight it goes up or down */
function moveBy(t, clip, raw, m, moving, straight) {
  if (straight && t.session.snapping && !m.ctrlKey && !m.metaKey) return 0;
  const end = clip.start + clip.length,
    head = t.snapAt(clip.start + raw, m, moving) - clip.start,
    tail = t.snapAt(end + raw, m, moving) - end;
  const grid = t.toFrame(clip.start + raw) - clip.start;
  return head === grid && tail !== t.toFrame(end + raw) - end ? tail : head;
}

/**
 * Moves chosen clips, or the one that is taken hold of, in time and between tracks. With alt held one clip
 * may come to lie over its neighbours, and each overlap becomes a blend. @param {Timeline} t @param {PointerEvent} e @param {Clip} clip */
export function dragClips(t, e, clip) {
  const ids = t.chosen.has(clip.id) ? [...t.chosen] : [clip.id];
  const clips = ids.map((id) => t.doc.clips.get(id)).filter((c) => c !== undefined),
    moving = new Set(ids);
  const order = t.doc.order(),
    place = (/** @type {number} */ id) => order.findIndex((o) => o.id === id);
  const p = t.doc.props,
    start = t.point(e),
    from = t.placeOf(e);
  /** @type {{clips: number[], by: number, down?: number} | null} */
  let what = null;
  let words = "",
    bad = false,
    over = false,
    alone = false;
  /** What is asked for: a move, or with alt one that blends what overlaps. @param {{clips: number[], by: number, down?: number}} w @returns {[string, Record<string, any>]} */
  const edit = (w) =>
    over
      ? ["dropBlend", { clip: clip.id, by: w.by, toTrack: trackOf(clip), law: t.usual.law, lean: t.usual.lean }]
      : ["move", { ...w, ...(alone ? {} : t.doc.ties.size ? { tied: true } : {}) }];
  const trackOf = (/** @type {Clip} */ c) => order[place(c.track) + (what?.down ?? 0)]?.id ?? c.track;
  const ghost = () => {
    if (what) showGhosts(t, clips, trackOf, what.by, bad, words);
  };
  const rehearsal = new Rehearsal(t.doc, (r, tried) => {
    if (!what || tried.by !== what.by || "clip" in tried !== over || (!over && tried.down !== what.down)) return;
    bad = r instanceof Problem;
    if (r instanceof Problem) words = `${r.message}${over || ids.length > 1 ? "" : " · with Alt the overlap is blended"}`;
    else words = over ? (r.outcome.says ?? []).join(" · ") : movedWords(r, clip, what.by, p);
    t.hint(words);
    ghost();
  });
  t.drag(
    e,
    t.parts.lanes,
    (m) => {
      const pt = t.point(m);
      const raw = Math.round(t.placeOf(m) - from);
      const down = Math.min(Math.max(place(t.rowAt(pt.y)?.track.id ?? clip.track), 0), order.length - 1) - place(clip.track);
      const by = moveBy(t, clip, raw, m, moving, Math.abs(pt.x - start.x) < 7);
      what = { clips: ids, by, ...(down ? { down } : {}) };
      // Alone, a clip of sound may be blended with what it comes to lie over.
      alone = m.altKey;
      over = m.altKey && ids.length === 1 && !t.doc.shows(clip);
      t.parts.lanes.style.cursor = "grabbing";
      ghost();
      rehearsal.try(...edit(what));
    },
    (moved, kept) => {
      rehearsal.end();
      t.ghosts = [];
      if (!moved && kept) t.choose(clip, e.ctrlKey || e.metaKey);
      else if (kept && what && (what.by || what.down))
        t.dispatchEvent(new CustomEvent("edit", { detail: { kind: edit(what)[0], what: edit(what)[1] } }));
    },
  );
}

/** Sets a fade's length. @param {Timeline} t @param {PointerEvent} e @param {Clip} clip @param {"head" | "tail"} end */
export function dragFade(t, e, clip, end) {
  const was = end === "head" ? clip.fadeIn : clip.fadeOut,
    p = t.doc.props;
  /** @type {Fade} */
  let fade = { ...was };
  const rehearsal = new Rehearsal(t.doc, (r) => {
    if (r instanceof Problem) {
      const offered = /** @type {{fade?: Fade} | undefined} */ (r.offer?.with);
      if (offered?.fade) fade = offered.fade;
      t.hint(r.message);
    } else {
      t.hint(`Fade ${end === "head" ? "in" : "out"} of ${say(fade.length, p)}, ${frames(fade.length, p).toFixed(1)} frames`);
    }
    t.fading = { clip: clip.id, end, fade };
    t.redraw();
  });
  t.drag(
    e,
    t.parts.lanes,
    (m) => {
      const at = t.sample(t.point(m).x);
      fade = { ...was, length: Math.max(end === "head" ? at - clip.start : clip.start + clip.length - at, 0) };
      t.fading = { clip: clip.id, end, fade };
      t.redraw();
      rehearsal.try("setFade", { clip: clip.id, end, fade });
    },
    (moved, kept) => {
      rehearsal.end();
      t.fading = null;
      t.choose(clip, false);
      if (moved && kept)
        t.dispatchEvent(new CustomEvent("edit", { detail: { kind: "setFade", what: { clip: clip.id, end, fade }, nearest: true } }));
    },
  );
}

/** Marks a span, over one track or several. @param {Timeline} t @param {PointerEvent} e @param {import("./timeline.js").Hit} h */
export function dragSpan(t, e, h) {
  const start = t.point(e),
    first = Math.max(t.sample(start.x), 0),
    before = t.span,
    worked = new Set(t.working),
    p = t.doc.props;
  const rows = t.layout();
  t.drag(
    e,
    t.parts.lanes,
    (m) => {
      const pt = t.point(m),
        a = Math.max(t.snapAt(first, m), 0),
        b = Math.max(t.snapAt(t.sample(pt.x), m), 0);
      t.session.span = a === b ? null : { from: Math.min(a, b), to: Math.max(a, b) };
      const i = rows.findIndex((r) => r.track.id === h.track?.id),
        k = rows.findIndex((r) => r.track.id === t.rowAt(pt.y)?.track.id);
      t.session.working = new Set(rows.slice(Math.min(i, k < 0 ? i : k), Math.max(i, k) + 1).map((r) => r.track.id));
      if (t.span)
        t.hint(
          `Span of ${say(t.span.to - t.span.from, p)}, ${frames(t.span.to - t.span.from, p).toFixed(1)} frames, from ${timecode(t.span.from, p)}, on ${t.working.size === 1 ? h.track?.name : `${t.working.size} tracks`}`,
        );
      t.redraw();
    },
    (moved, kept) => {
      if (!kept) [t.session.span, t.session.working] = [before, worked];
      if (!moved && kept) {
        t.session.span = null;
        if (h.track) t.session.working = new Set([h.track.id]);
        t.dispatchEvent(new CustomEvent("playhead", { detail: first }));
        const struck = h.strike && t.doc.seams.find((s) => s.kind === "struck" && s.right === h.strike?.id);
        if (struck) t.dispatchEvent(new CustomEvent("choose-seam", { detail: { seam: struck, edge: "from" } }));
        else t.choose(h.clip, e.shiftKey);
      }
      t.dispatchEvent(new Event("working"));
      t.dispatchEvent(new Event("span"));
    },
  );
}

/** Drags an edge of what is struck. @param {Timeline} t @param {PointerEvent} e @param {Strike} k @param {Clip} clip @param {"from" | "to"} edge */
export function dragStruck(t, e, k, clip, edge) {
  const seam = t.doc.seams.find((s) => s.kind === "struck" && s.right === k.id),
    base = k[edge] + clip.start - clip.offset;
  const choose = () => seam && t.dispatchEvent(new CustomEvent("choose-seam", { detail: { seam, edge: edge === "from" ? "from" : "in" } }));
  choose();
  dragBy(t, e, {
    kind: "setStrike",
    cursor: "ew-resize",
    by: (raw, m) => t.snapAt(base + raw, m) - base,
    what: (by) => ({ strike: k.id, [edge]: k[edge] + by }),
    closeUp: seam && { left: seam.left, right: seam.right, around: t.around + Math.round(seam.gap / 2) },
    click: () => {},
  });
}

/** Moves a marker along the ruler. @param {Timeline} t @param {PointerEvent} e @param {Marker} marker */
export function dragMarker(t, e, marker) {
  let at = marker.at;
  t.drag(
    e,
    t.parts.ruler,
    (m) => {
      at = Math.max(t.snapAt(t.placeOf(m), m), 0);
      t.rehearse({ markers: [{ before: marker, after: { ...marker, at } }] });
      t.hint(`Marker “${marker.text}” at ${timecode(at, t.doc.props)}`);
    },
    (moved, kept) => {
      t.rehearse(null);
      if (!moved) t.dispatchEvent(new CustomEvent("playhead", { detail: marker.at }));
      else if (kept && at !== marker.at)
        t.dispatchEvent(new CustomEvent("edit", { detail: { kind: "setMarker", what: { marker: marker.id, at } } }));
    },
  );
}

/** Chooses the clips that a box touches. @param {Timeline} t @param {PointerEvent} e */
export function dragBox(t, e) {
  const start = t.point(e),
    was = [...t.chosen];
  const inside = () => {
    const b = t.box;
    if (!b) return [];
    const scroll = t.parts.tracks.scrollTop,
      [x0, x1] = [Math.min(b.x0, b.x1), Math.max(b.x0, b.x1)],
      [y0, y1] = [Math.min(b.y0, b.y1) + scroll, Math.max(b.y0, b.y1) + scroll];
    return t
      .layout()
      .filter((r) => r.top < y1 && r.top + r.height > y0)
      .flatMap((r) =>
        (t.doc.lanes.get(r.track.id) ?? []).filter((c) => t.x(c.start) < x1 && t.x(c.start + c.length) > x0).map((c) => c.id),
      );
  };
  t.drag(
    e,
    t.parts.lanes,
    (m) => {
      const pt = t.point(m);
      t.box = { x0: start.x, y0: start.y, x1: pt.x, y1: pt.y };
      t.session.chosen = new Set([...(m.shiftKey ? was : []), ...inside()]);
      t.hint(`${t.chosen.size} ${t.chosen.size === 1 ? "clip" : "clips"} in the box`);
      t.redraw();
    },
    (moved, kept) => {
      const ids = kept && moved ? [...t.chosen] : was;
      t.box = null;
      t.dispatchEvent(new CustomEvent("choose-clips", { detail: ids }));
    },
  );
}
