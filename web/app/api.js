// Talks to the server's JSON API. What it refuses is thrown as a Problem.

/** An error as the server tells it (RFC 9457), its detail meant for the user. */
export class Problem extends Error {
  /** @param {{status?: number, detail?: string, kind?: string, possible?: string, offer?: Edit, take?: string, limit?: number}} p */
  constructor(p) {
    super(p.detail || "The server did not say what went wrong.");
    this.status = p.status ?? 0;
    this.kind = p.kind ?? "";
    this.possible = p.possible ?? "";
    this.offer = p.offer;
    /** What the offer does, in words. */
    this.take = p.take ?? "";
    this.limit = p.limit ?? 0;
  }
}

const base = "/api/v1";

/** What is told while the server cannot be reached. */
export const away = "The server does not answer. Edits are safe; trying again…";

/** A key by which the server knows a request that comes again. */
export const freshKey = () => [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");

/** Whether asking again with the same key can help: the answer did not come, or the database is away. @param {unknown} err */
export const passing = (err) => err instanceof Problem && ["offline", "away", "unknown", "busy"].includes(err.kind);

/** @param {number} ms */
const rest = (ms) => new Promise((done) => setTimeout(done, ms));

/**
 * @param {string} path
 * @param {RequestInit} init
 * @returns {Promise<Response>}
 */
async function reach(path, init) {
  try {
    return await fetch(base + path, init);
  } catch (err) {
    if (err instanceof DOMException && err.name === "AbortError") throw err;
    throw new Problem({ kind: "offline", detail: away });
  }
}

/** @param {Response} res */
const isJSON = (res) => (res.headers.get("Content-Type") || "").includes("json");

/**
 * Sends a request once and gives the parsed answer, or undefined for none.
 * @param {string} method
 * @param {string} path below /api/v1
 * @param {unknown} body
 * @param {AbortSignal | undefined} signal
 * @param {string} [key]
 * @returns {Promise<any>}
 */
async function sendOnce(method, path, body, signal, key) {
  /** @type {Record<string, string>} */
  const headers = {};
  if (body !== undefined) headers["Content-Type"] = "application/json";
  if (key) headers["Idempotency-Key"] = key;
  const res = await reach(path, { method, signal, headers, body: body === undefined ? undefined : JSON.stringify(body) });
  try {
    if (res.status === 204) return undefined;
    if (!res.ok) throw new Problem(isJSON(res) ? await res.json() : { status: res.status });
    return isJSON(res) ? await res.json() : undefined;
  } catch (err) {
    if (err instanceof Problem || (err instanceof DOMException && err.name === "AbortError")) throw err;
    throw new Problem({ kind: "offline", detail: away }); // it broke off within the answer
  }
}

/** How often a change is asked for again before it is told that it failed. */
const tries = 5;

/**
 * Sends a request and gives the parsed answer, or undefined for none. What changes something carries a key, and is
 * asked for again for a few seconds when no answer comes.
 * @param {string} method
 * @param {string} path below /api/v1
 * @param {unknown} [body]
 * @param {AbortSignal} [signal]
 * @returns {Promise<any>}
 */
export async function send(method, path, body, signal) {
  if (method === "GET" || path.endsWith("/dry-run")) return sendOnce(method, path, body, signal);
  const key = freshKey();
  for (let n = 1; ; n++) {
    try {
      return await sendOnce(method, path, body, signal, key);
    } catch (err) {
      if (!passing(err) || n === tries) throw err;
      await rest(300 * n);
    }
  }
}

/**
 * Sends a change until there is an answer: whether it was done is not known before.
 * @param {string} path below /api/v1
 * @param {unknown} body
 * @param {(waiting: boolean) => void} told called when no answer comes, and when one has come after that
 * @returns {Promise<any>}
 */
export async function insist(path, body, told) {
  const key = freshKey();
  let waiting = false;
  for (let pause = 300; ; pause = Math.min(pause * 1.5, 2000)) {
    try {
      const answer = await sendOnce("POST", path, body, undefined, key);
      if (waiting) told(false);
      return answer;
    } catch (err) {
      if (!passing(err)) {
        if (waiting) told(false);
        throw err;
      }
      if (!waiting) told(true);
      waiting = true;
      await rest(pause);
    }
  }
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
  const res = await reach(path, { signal });
  if (!res.ok) throw new Problem(isJSON(res) ? await res.json() : { status: res.status });
  try {
    return await res.arrayBuffer();
  } catch (err) {
    if (err instanceof DOMException && err.name === "AbortError") throw err;
    throw new Problem({ kind: "offline", detail: away });
  }
}

/** @param {unknown} err @returns {string} what to tell the user of an error */
export const say = (err) => (err instanceof Error ? err.message : String(err));

/**
 * Sends a file and gives the parsed answer.
 * @param {string} path below /api/v1
 * @param {File} file
 * @param {(part: number) => void} told how much of it is sent, 0 to 1
 * @returns {Promise<any>}
 */
export function sendFile(path, file, told) {
  return new Promise((done, failed) => {
    const req = new XMLHttpRequest();
    req.open("POST", base + path);
    req.responseType = "json";
    req.upload.onprogress = (e) => told(e.lengthComputable ? e.loaded / e.total : 0);
    req.upload.onload = () => told(1);
    req.onload = () => (req.status < 300 ? done(req.response) : failed(new Problem(req.response ?? { status: req.status })));
    req.onerror = () => failed(new Problem({ kind: "offline", detail: away }));
    req.send(file);
  });
}
