// The documents that the server sends, as its Go types write them.
type FrameRate = { num: number; den: number; drop: boolean };
type Props = { name: string; sampleRate: number; frameRate: FrameRate; startFrame: number; limits?: Record<string, Tolerance> };
type Role = "dialogue" | "roomTone" | "spots" | "music" | "picture";
type Track = { id: number; name: string; role: Role; place: number; gainDB: number; pan: number; mute: boolean; solo: boolean; locked: boolean; stays: boolean; colour: string; height: number };
type Source = { id: number; recording: string; name: string; left: number; right: number; length: number; startTC: number; unlisted: boolean; bed?: Bed; picture?: Picture; tape?: string };
/** What a source shows, where it is one of pictures; no frames for a still or a card. */
type Picture = { rate: FrameRate; frames: number; width?: number; height?: number };
/** Holds a clip of sound to a shot. */
type Tie = { id: number; shot: number; clip: number; sync: number };
/** The picture cut that a seam belongs to; the sound cuts so many samples later. */
type PictureCut = { at: number; left: number; right: number; lag: number };
type Fade = { length: number; shape: string; bend: number };
type Clip = { id: number; track: number; source: number; name: string; start: number; offset: number; length: number; gainDB: number; fadeIn: Fade; fadeOut: Fade };
/** How a source of room tone is grown; without it the source is a recording as it is. */
type Bed = { from: number; to: number; room?: string; seed: number; tint?: number[] };
type Tone = { source?: number; from?: number; to?: number; room?: string; seed: number; tint?: number[]; channels?: number };
/** What is struck of a clip, in the time of its source. */
type Strike = { id: number; clip: number; from: number; to: number; fall: Fade; rise: Fade; lowerDB: number; cover?: { source: number; gainDB: number } };
type Swatch = { id: number; name: string; source: number; from: number; to: number };
type Offered = { tone: Tone; gainDB: number; name: string; says: string; step: number; colour: number; even: number; seconds: number; synthesised: boolean; edit: Edit };
type Quiet = { from: number; to: number; level: number; even: number; slope: number; score: number };
type Filled = { track: number; from: number; to: number; says?: string; why?: string; glides: boolean; before: number; after: number; edit?: Edit };
type Pause = { clip: number; track: number; from: number; to: number; level: number; edit: Edit };
type Continuity = { revision: number; hop: number; levels: number[]; holes: [number, number][] };
type Side = { shape: string; bend: number };
type Blend = { id: number; left: number; right: number; before: number; after: number; law: string; lean: number; out?: Side; in?: Side };
type Verdict = "fine" | "muted" | "unknown" | "hear" | "mend";
/** What is known of a seam by measurement; without a verdict it is not measured yet. */
type Rated = { verdict: Verdict | ""; brief: string; what?: string; score: number; accepted: boolean; print: string; stale?: boolean };
type Seam = { kind: "cut" | "head" | "tail" | "struck"; at: number; track: number; to: number; left: number; right: number; blend: number; gap: number; continues: boolean; cut?: PictureCut } & Rated;
type Tolerance = { hear: number; mend: number };
type Finding = { what: string; value: number; unit: string; hear: number; mend: number; verdict: Verdict };
type SeamSide = { peak: number; rms: number; voice: number; voiced: boolean; room: number; known: boolean; gated: boolean; unsure: number; said: number; heard: number; edge: number; handle: number };
type Judged = {
  verdict: Verdict; what?: string; why: string; brief: string; score: number; print: string; muted: boolean; role: Role; findings: Finding[] | null;
  out?: SeamSide; in?: SeamSide; step: number; known: boolean; unknown?: string; unsure: number; glide: number; colour: number; click: number; dip: number; hole: number; covered?: boolean; like?: { r: number; power: number; held: boolean };
};
type Preset = { name: string; ms: number; lie: "before" | "across" | "after"; law: string; lean: number; usual: boolean };
type SweepRow = { left: number; right: number; before: Judged; after?: Judged; says: string; why: string; worse: boolean; edit?: Edit };
type BetterCut = { by: number; slip: number; level: number; gap: number; jump: number; r: number; click: number; word: boolean; edit?: Edit };
type Spectra = { centres: number[]; out?: { room?: number[]; all?: number[] }; in?: { room?: number[]; all?: number[] }; distance?: number };
type Marker = { id: number; at: number; text: string };
type Shift = { by: number; clips: number[] };
type Gap = { track: number; from: number; to: number };
type Later = "stay" | "follow" | "followTrack";
type Pair<T> = { before?: T; after?: T };
type Change = { props?: Pair<Props>; tracks?: Pair<Track>[]; sources?: Pair<Source>[]; clips?: Pair<Clip>[]; blends?: Pair<Blend>[]; strikes?: Pair<Strike>[]; swatches?: Pair<Swatch>[]; markers?: Pair<Marker>[]; ties?: Pair<Tie>[]; shifts?: Shift[] };
type Outcome = { label: string; says?: string[]; opens?: Gap[]; notes?: string[]; made?: number[] };
type Changed = { revision: number; change: Change; outcome: Outcome; undo: string; redo: string };
type Edit = { do: string; with: Record<string, unknown> };
type Room = { before: number; after: number; handleIn: number; handleOut: number; insideLeft: number; insideNext: number; across: number };
type CloseUp = {
  at: number; room?: Room; blend?: Blend; fade?: Fade; fadeRoom?: number;
  curves?: { out: number[] | null; in: number[] | null };
  level?: { from: number; hop: number; blend: number[]; hard: number[]; line?: number[]; within?: number };
  judged?: Judged;
  strike?: Strike;
};
type CloseUpQuery = { left: number; right: number; around: number };
type DryRun = { revision: number; change: Change; outcome: Outcome; closeUp?: CloseUp; stops?: string; edit?: Edit; trial?: string };
type Step = { revision: number; kind: string; state: "done" | "undone" | "dropped"; label: string; at: string };
type Kept = { id: number; name: string; revision: number; at: string };
type KeySet = { name: string; chosen: boolean; keys: Record<string, string[]> };
type Excerpt = { rate: number; length: number; lanes: number; clips: { lane: number; source: Source; clip: Clip }[]; blends?: Blend[] };
/** What lies on the tracks: as it is, or as an edit would leave it. */
type Lie = { clips: Map<number, Clip>; blends: Map<number, Blend>; markers: Map<number, Marker>; strikes: Map<number, Strike>; struck: Map<number, Strike[]>; ties: Map<number, Tie>; lanes: Map<number, Clip[]> };
type ImportJob = { id: string; name: string; state: string; progress: number; detail: string; kind?: string; channels?: number; source?: number; sources?: string[] };
type Details = { hash: string; rate: number; fileName: string; format: string; bytes: number; nativeRate: number; channels: number; length: number; missing: number; bad: number; startTC: number };
type Listed = Source & { details: Details; used: number[]; seen?: { fileName: string; format: string; note?: string }; sound?: number };
type SplitOffer = { frames: number; words: string; why: string; edit: Edit; after: Judged };
type Leads = { revision: number; frames: number; words: string; mostLead: number; mostLag: number; offers: SplitOffer[]; warnings: { beyond: number; kind: string; says: string }[] };
type Lacking = { name: string; tape?: string; file?: string; picture: boolean; events: number; from: number; to: number };
type ListLook = { title: string; rate: string; rates: string[]; start: string; clips: number; tracks: { name: string; picture: boolean; events: number }[]; lacking: Lacking[] | null; notes: string[] | null; refused?: { reason: string; possible?: string } };
type MissingSource = Source & { clips: number; from: number; to: number; match?: number; edit?: Edit };
type ReelFile = { props: Props; nextID: number; tracks: Track[] | null; sources: Source[] | null; clips: Clip[] | null; blends: Blend[] | null; strikes?: Strike[]; swatches?: Swatch[]; markers: Marker[] | null; ties?: Tie[] };
type Version = { id: number; uid: string; revision: number; reel: ReelFile; undo: string; redo: string };
type Survey = { length: number; bytes: number; peakDB: number; truePeakDB: number; lufs: number; over: number; exact: boolean; holes: [number, number][]; missing: number };

declare const Alpine: { data(name: string, make: () => object): void; store(name: string, value?: object): any };
