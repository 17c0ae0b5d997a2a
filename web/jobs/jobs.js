// Work that outlives a page: exports and what else is done in the background, with how
// far it is, its files, and what can be done with it.

import { get, say, send } from "../app/api.js";
import { panel } from "../lib/panel.js";

/** Whether nothing more happens to a job. @param {Job} j */
export const ended = (j) => j.state !== "waiting" && j.state !== "working";

/** A time of whole seconds or minutes. @param {number} s */
const soon = (s) => (s < 90 ? `${Math.max(Math.round(s), 1)} s` : `${Math.round(s / 60)} min`);

/** @param {number} n */
const size = (n) => (n > 1e9 ? `${(n / 1e9).toFixed(1)} GB` : n > 1e6 ? `${(n / 1e6).toFixed(1)} MB` : `${Math.ceil(n / 1000)} kB`);

/** How a job stands, in words. @param {Job} j */
export function standing(j) {
  if (j.state === "waiting") return "Queued";
  if (j.state === "working")
    return j.stopping ? "Stopping" : `${Math.floor(j.progress * 100)} %${j.left >= 0.5 ? `, ${soon(j.left)} left` : ""}`;
  if (j.state === "failed") return `Failed. ${j.detail}`;
  if (j.state === "cancelled") return "Cancelled";
  const until = j.keptUntil
    ? `${size(j.bytes)}, kept until ${new Date(j.keptUntil).toLocaleDateString("en-GB", { day: "numeric", month: "short" })}`
    : j.bytes
      ? "File deleted: its time was over"
      : "";
  return ["Done", j.detail, until].filter(Boolean).join(" · ");
}

/** What a job is of, in words. @param {Job} j */
export function what(j) {
  const o = j.order,
    each = { track: "each track", role: "stems", clip: "each clip" };
  if (j.kind === "fit") return "fit";
  if (j.kind === "extract") return "stretches";
  if (j.kind === "import") return "import";
  if (j.kind === "bundle") return "bundle";
  if (j.kind === "join") return "take";
  if (!o) return "";
  return [
    o.file.toUpperCase(),
    o.file === "wav" || o.file === "flac" ? `${o.bits}-bit${o.bits === 32 ? " float" : ""}` : "",
    o.channels === 1 ? "mono" : "stereo",
    each[/** @type {keyof each} */ (o.each)] ?? "",
    `r${j.revision}`,
    new Date(j.madeAt).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" }),
  ]
    .filter(Boolean)
    .join(" · ");
}

/** @param {string} href */
function download(href) {
  const a = document.createElement("a");
  a.href = href;
  a.download = "";
  a.click();
}

/**
 * The jobs of a reel, or of all where it is 0.
 * @param {number} reel
 * @param {(text: string) => void} tell
 */
export const jobsOf = (reel, tell) =>
  panel({
    list: /** @type {Job[]} */ ([]),
    /** Those whose files are downloaded when they are there. @type {number[]} */
    mine: [],
    standing,
    ended,
    what,

    async read() {
      try {
        const { jobs } = await get(`/jobs?reel=${reel}`);
        for (const j of [...jobs].reverse()) this.take(j);
        this.list = this.list.filter((o) => jobs.some((/** @type {Job} */ j) => j.id === o.id));
      } catch (err) {
        tell(say(err));
      }
    },
    /** How a job stands now. @param {Job} j */
    take(j) {
      const i = this.list.findIndex((o) => o.id === j.id);
      if (i >= 0 && ended(this.list[i]) && !ended(j)) return; // told late
      if (i < 0) this.list = [j, ...this.list].sort((a, b) => b.id - a.id);
      else this.list[i] = j;
      if (!ended(j) || !this.mine.includes(j.id)) return;
      this.mine = this.mine.filter((id) => id !== j.id);
      if (j.state === "done" && j.keptUntil) download(this.file(j));
      else if (j.state === "done" && j.kind === "fit") tell(j.detail);
      if (j.state === "done" && (j.kind === "extract" || j.kind === "join") && j.detail) tell(`${j.detail}.`);
      else if (j.state === "failed")
        tell(
          `“${j.name}” was not ${j.kind === "fit" ? "fitted" : j.kind === "extract" ? "saved" : j.kind === "join" ? "joined" : "written"}. ${j.detail}`,
        );
    },
    /** Begins a job whose file is downloaded when it is there. @param {string} path @param {unknown} [body] */
    async begin(path, body) {
      const { id } = await send("POST", path, body);
      this.mine = [...this.mine, id];
      this.take(await get(`/jobs/${id}`));
      return id;
    },
    /** @param {Job} j */
    file: (j) => `/api/v1/jobs/${j.id}/file`,
    /** @param {Job} j */
    async cancel(j) {
      await this.attempt(() => send("POST", `/jobs/${j.id}/cancel`));
      await this.read();
    },
    /** @param {Job} j */
    async repeat(j) {
      await this.attempt(() => this.begin(`/jobs/${j.id}/repeat`));
    },
    /** @param {Job} j */
    async remove(j) {
      await this.attempt(() => send("DELETE", `/jobs/${j.id}`));
      await this.read();
    },
    /** @param {() => Promise<any>} what */
    async attempt(what) {
      try {
        await what();
      } catch (err) {
        tell(say(err));
      }
    },
    /** Those under way. */
    busy() {
      return this.list.filter((j) => !ended(j));
    },
    /** The foot's words for what is under way. */
    busyText() {
      const busy = this.busy();
      if (!busy.length) return "";
      const done = busy.reduce((s, j) => s + j.progress, 0) / busy.length;
      return `${busy.length === 1 ? "1 job" : `${busy.length} jobs`}, ${Math.floor(done * 100)} %`;
    },
  });
