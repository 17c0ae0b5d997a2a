// Talks to the server's JSON API. What it refuses is thrown as a Problem.

/** An error as the server tells it (RFC 9457), its detail meant for the user. */
export class Problem extends Error {
  /** @param {{status?: number, detail?: string, kind?: string, possible?: string, offer?: Edit, limit?: number}} p */
  constructor(p) {
    super(p.detail || "The server did not say what went wrong.");
    this.status = p.status ?? 0;
    this.kind = p.kind ?? "";
    this.possible = p.possible ?? "";
    this.offer = p.offer;
    this.limit = p.limit ?? 0;
  }
}

const base = "/api/v1";

/**
 * Sends a request and gives the parsed answer, or undefined for none.
 * @param {string} method
 * @param {string} path below /api/v1
 * @param {unknown} [body]
 * @param {AbortSignal} [signal]
 * @returns {Promise<any>}
 */
export async function send(method, path, body, signal) {
  /** @type {Response} */
  let res;
  try {
    res = await fetch(base + path, {
      method, signal,
      headers: body === undefined ? {} : { "Content-Type": "application/json" },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch (err) {
    if (err instanceof DOMException && err.name === "AbortError") throw err;
    throw new Problem({ kind: "offline", detail: "The server does not answer. Nothing that was saved is lost; start it again and go on." });
  }
  if (res.status === 204) return undefined;
  const isJSON = (res.headers.get("Content-Type") || "").includes("json");
  if (!res.ok) throw new Problem(isJSON ? await res.json() : { status: res.status });
  return isJSON ? res.json() : undefined;
}

/** @param {string} path @param {AbortSignal} [signal] @returns {Promise<any>} */
export const get = (path, signal) => send("GET", path, undefined, signal);

/**
 * Gets raw bytes.
 * @param {string} path
 * @param {AbortSignal} [signal]
 * @returns {Promise<ArrayBuffer>}
 */
export async function bytes(path, signal) {
  const res = await fetch(base + path, { signal });
  if (!res.ok) throw new Problem((res.headers.get("Content-Type") || "").includes("json") ? await res.json() : { status: res.status });
  return res.arrayBuffer();
}

/** @param {unknown} err @returns {string} what to tell the user of an error */
export const say = (err) => (err instanceof Error ? err.message : String(err));
