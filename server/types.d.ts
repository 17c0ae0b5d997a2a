// The documents that the server sends, as its Go types write them.
type FrameRate = { num: number; den: number; drop: boolean };
type Props = { name: string; sampleRate: number; frameRate: FrameRate; startFrame: number };
type Role = "dialogue" | "roomTone" | "spots" | "music";
type Track = { id: number; name: string; role: Role; place: number; gainDB: number; pan: number; mute: boolean; solo: boolean; locked: boolean; stays: boolean; colour: string; height: number };
type Source = { id: number; recording: string; name: string; left: number; right: number; length: number; startTC: number; unlisted: boolean };
type Fade = { length: number; shape: string; bend: number };
type Clip = { id: number; track: number; source: number; name: string; start: number; offset: number; length: number; gainDB: number; fadeIn: Fade; fadeOut: Fade };
type Blend = { id: number; left: number; right: number; before: number; after: number; law: string; lean: number };
type Seam = { kind: "cut" | "head" | "tail"; at: number; track: number; left: number; right: number; blend: number; gap: number; continues: boolean };
type Marker = { id: number; at: number; text: string };
type Shift = { by: number; clips: number[] };
type Gap = { track: number; from: number; to: number };
type Later = "stay" | "follow" | "followTrack";
type Pair<T> = { before?: T; after?: T };
type Change = { props?: Pair<Props>; tracks?: Pair<Track>[]; sources?: Pair<Source>[]; clips?: Pair<Clip>[]; blends?: Pair<Blend>[]; markers?: Pair<Marker>[]; shifts?: Shift[] };
type Outcome = { label: string; says?: string[]; opens?: Gap[]; notes?: string[]; made?: number[] };
type Changed = { revision: number; change: Change; outcome: Outcome; undo: string; redo: string };
type Edit = { do: string; with: Record<string, unknown> };
type Room = { before: number; after: number; handleIn: number; handleOut: number; insideLeft: number; insideNext: number; across: number };
type CloseUp = {
  at: number; room?: Room; blend?: Blend; fade?: Fade;
  curves?: { out: number[] | null; in: number[] | null };
  level?: { from: number; hop: number; blend: number[]; hard: number[] };
};
type CloseUpQuery = { left: number; right: number; around: number };
type DryRun = { revision: number; change: Change; outcome: Outcome; closeUp?: CloseUp; stops?: string; edit?: Edit };
type Step = { revision: number; kind: string; state: "done" | "undone" | "dropped"; label: string; at: string };
type Kept = { id: number; name: string; revision: number; at: string };
type KeySet = { name: string; chosen: boolean; keys: Record<string, string[]> };
type Excerpt = { rate: number; length: number; lanes: number; clips: { lane: number; source: Source; clip: Clip }[]; blends?: Blend[] };
/** What lies on the tracks: as it is, or as an edit would leave it. */
type Lie = { clips: Map<number, Clip>; blends: Map<number, Blend>; markers: Map<number, Marker>; lanes: Map<number, Clip[]> };
type ImportJob = { id: string; name: string; state: string; progress: number; detail: string; kind?: string; channels?: number; source?: number; sources?: string[] };
type Details = { hash: string; rate: number; fileName: string; format: string; bytes: number; nativeRate: number; channels: number; length: number; missing: number; bad: number; startTC: number };
type Listed = Source & { details: Details; used: number[] };
type ReelFile = { props: Props; nextID: number; tracks: Track[] | null; sources: Source[] | null; clips: Clip[] | null; blends: Blend[] | null; markers: Marker[] | null };
type Version = { id: number; revision: number; reel: ReelFile; undo: string; redo: string };
type Survey = { length: number; bytes: number; peakDB: number; truePeakDB: number; lufs: number; over: number; exact: boolean };

declare const Alpine: { data(name: string, make: () => object): void; store(name: string, value?: object): any };
