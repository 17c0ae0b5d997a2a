// Picture, and how its sound leads or lags.

/** @type {import("./registry.js").Entry[]} */
export const picture = [
  {
    id: "splitEdit",
    name: "Picture and sound at the cut, with the grips to lead or lag",
    keys: ["e"],
    run: (app) => app.lead.toggleSplit(),
  },
  { id: "actLead", name: "Set how the sound leads or lags its picture", keys: ["8"], run: (app) => app.act.actOn("lead") },
  { id: "takeLead", name: "Apply the suggested lead (J-cut)", keys: ["alt+j"], run: (app) => void app.lead.takeLeadWay("leads") },
  { id: "takeLag", name: "Apply the suggested lag (L-cut)", keys: ["alt+l"], run: (app) => void app.lead.takeLeadWay("lags") },
  { id: "straight", name: "Cut picture and sound straight", keys: ["alt+k"], run: (app) => void app.lead.takeLeadWay("straight") },
  {
    id: "hearLead",
    name: "Listen to the suggested lead with picture",
    keys: ["alt+shift+J"],
    run: (app) => void app.lead.takeLeadWay("leads", true),
  },
  {
    id: "hearLag",
    name: "Listen to the suggested lag with picture",
    keys: ["alt+shift+L"],
    run: (app) => void app.lead.takeLeadWay("lags", true),
  },
  {
    id: "hearStraight",
    name: "Listen to the straight cut with picture",
    keys: ["alt+shift+K"],
    run: (app) => void app.lead.takeLeadWay("straight", true),
  },
  { id: "tie", name: "Tie sound to its shot, or untie it", keys: ["alt+t"], run: (app) => app.picture.tieChosen() },
  { id: "freeze", name: "Freeze the shot on the frame at the playhead", keys: ["ctrl+alt+f"], run: (app) => void app.fit.freeze() },
  { id: "resyncMove", name: "Bring sound back in sync by moving it", keys: ["alt+m"], run: (app) => app.picture.resync("move") },
  { id: "resyncSlip", name: "Bring sound back in sync by slipping it", keys: ["alt+shift+M"], run: (app) => app.picture.resync("slip") },
  { id: "nextCut", name: "To the next picture cut", keys: ["alt+."], run: (app) => app.picture.stepCut(1) },
  { id: "prevCut", name: "To the previous picture cut", keys: ["alt+,"], run: (app) => app.picture.stepCut(-1) },
];
