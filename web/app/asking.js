// What is asked of the server and takes a while: it tells how far it is, and only
// the newest that was asked for counts.

import { say } from "./api.js";

/** @typedef {{busy: boolean, progress: number, problem: string, turn: number, name: string, abort: AbortController | null}} Asking what a dialog keeps of it */

/** @returns {Asking} */
export const nothingAsked = () => ({ busy: false, progress: 0, problem: "", turn: 0, name: "", abort: null });

/**
 * Asks, and lets go of what was asked before. What comes when it is no longer wanted is nothing.
 * @template T
 * @param {Asking} w
 * @param {() => boolean} wanted whether the dialog is still this one
 * @param {(name: string, signal: AbortSignal) => Promise<T>} send
 * @returns {Promise<T | null>}
 */
export async function ask(w, wanted, send) {
  const turn = ++w.turn,
    mine = () => wanted() && turn === w.turn;
  w.abort?.abort();
  w.abort = new AbortController();
  [w.busy, w.progress, w.problem, w.name] = [true, 0, "", `${Date.now()}-${turn}`];
  try {
    const got = await send(w.name, w.abort.signal);
    return mine() ? got : null;
  } catch (err) {
    if (mine()) w.problem = say(err);
    return null;
  } finally {
    if (mine()) w.busy = false;
  }
}
