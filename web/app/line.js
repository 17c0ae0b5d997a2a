// The line on which the server tells what happens to a reel.

import { notices } from "./notices.js";

/** Opens the line, from the revision that the page knows. @param {import("./doc.js").Doc} doc */
export function listen(doc) {
  const stream = new EventSource(`/api/v1/reels/${doc.id}/events?since=${doc.revision}`);
  stream.addEventListener("change", (e) => doc.take(JSON.parse(e.data)));
  stream.addEventListener("seams", (e) => doc.patchSeams(JSON.parse(e.data)));
  stream.addEventListener("measured", (e) => doc.takeMeasured(JSON.parse(e.data)));
  stream.addEventListener("accepted", (e) => doc.takeAccepted(JSON.parse(e.data)));
  stream.addEventListener("loud", (e) => doc.dispatchEvent(new CustomEvent("loud", { detail: JSON.parse(e.data) })));
  stream.addEventListener("even", (e) => doc.dispatchEvent(new CustomEvent("even", { detail: JSON.parse(e.data) })));
  stream.addEventListener("sweep", (e) => doc.dispatchEvent(new CustomEvent("sweep", { detail: JSON.parse(e.data) })));
  stream.addEventListener("quiet", (e) => doc.dispatchEvent(new CustomEvent("quiet", { detail: JSON.parse(e.data) })));
  stream.addEventListener("import", (e) => doc.dispatchEvent(new CustomEvent("import", { detail: JSON.parse(e.data) })));
  stream.addEventListener("job", (e) => doc.dispatchEvent(new CustomEvent("job", { detail: JSON.parse(e.data) })));
  stream.addEventListener("reload", () => doc.anew());
  stream.addEventListener("media", () => doc.anew());
  stream.addEventListener("notices", (e) => notices(JSON.parse(e.data)));
  stream.addEventListener("database", (e) => {
    const back = doc.databaseAway && !JSON.parse(e.data).away;
    doc.tellState(() => (doc.databaseAway = JSON.parse(e.data).away));
    if (back) doc.anew();
  });
  stream.addEventListener("open", () => {
    const back = !doc.connected;
    doc.tellState(() => (doc.connected = true));
    doc.dispatchEvent(new Event("open"));
    // What was told while the line was cut was told to nobody: all is read anew. What was measured before it was
    // there is read as well.
    if (back) doc.anew();
    else if (!doc.measured) void doc.readSeams().catch(() => {});
  });
  stream.addEventListener("error", () => {
    if (doc.stream !== stream) return;
    doc.tellState(() => (doc.connected = false));
    // Comes again by itself, but with the revision that is known by then.
    doc.hush();
    setTimeout(() => doc.listen(), 1000);
  });
  return stream;
}
