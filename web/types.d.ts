// What the server sends, by the names that the pages use. The shapes are made
// from its own description (scripts/types.sh).
type Schemas = import("./api").components["schemas"];

type FrameRate = Schemas["Rate"];
type Props = Schemas["Props"];
type Track = Schemas["Track"];
type Source = Schemas["Source"];
type Picture = Schemas["Picture"];
type Tie = Schemas["Tie"];
type PictureCut = Schemas["PictureCut"];
type Fade = Schemas["Fade"];
type Clip = Schemas["Clip"];
type Bed = Schemas["Bed"];
type Tone = Schemas["Tone"];
type Strike = Schemas["Strike"];
type Point = Schemas["Point"];
type Ducking = Schemas["Ducking"];
type DuckProposal = Schemas["DuckProposal"];
type Speech = Schemas["Speech"];
type EvenRow = Schemas["EvenedRow"];
type Loudness = Schemas["Loudness"];
type Target = Schemas["Target"];
type Swatch = Schemas["Swatch"];
type Offered = Schemas["Offered"];
type Quiet = Schemas["Quiet"];
type Filled = Schemas["Filled"];
type Pause = Schemas["StruckPause"];
type Continuity = Schemas["Continuity"];
type Side = Schemas["Side"];
type Blend = Schemas["Blend"];
type Finding = Schemas["Finding"];
type SeamSide = Schemas["SeamSide"];
type Judged = Schemas["Judgement"];
type Preset = Schemas["Preset"];
type SweepRow = Schemas["SweepRow"];
type BetterCut = Schemas["BetterCut"];
type Spectra = Schemas["Spectra"];
type Marker = Schemas["Marker"];
type Shift = Schemas["Shift"];
type Gap = Schemas["Gap"];
type GapScopes = Schemas["GapScopes"];
type Change = Schemas["Change"];
type Outcome = Schemas["Outcome"];
type Changed = Schemas["Changed"];
type Room = Schemas["BlendRoom"];
type CloseUp = Schemas["CloseUp"];
type CloseUpQuery = Schemas["CloseUpQuery"];
type DryRun = Schemas["DryRun"];
type Peaks = Schemas["Peaks"];
type MatchProposal = Schemas["MatchProposal"];
type Step = Schemas["Step"];
type Kept = Schemas["Kept"];
type KeySet = Schemas["KeySet"];
type Excerpt = Schemas["Excerpt"];
type ImportJob = Schemas["Job"];
type Details = Schemas["Recording"];
type Listed = Schemas["ListedSource"];
type SplitOffer = Schemas["SplitOffer"];
type Leads = Schemas["Leads"];
type Lacking = Schemas["Lacking"];
type ListLook = Schemas["ListLook"];
type MissingSource = Schemas["MissingSource"];
type ReelFile = Schemas["Reel"];
type Version = Schemas["ReelNow"];
type Defaults = Schemas["Defaults"];
type Survey = Schemas["ExportSurvey"];
type Tolerance = Schemas["Tolerance"];
type Edit = { do: string; with: Record<string, unknown> };
type Verdict = Judged["verdict"];
type Role = Track["role"];
type Later = "stay" | "follow" | "followTrack";
type Pair<T> = { before?: T; after?: T };
/** What is known of a seam by measurement; without a verdict it is not measured yet. It is stale while it is measured again. */
type Seam = Schemas["ListedSeam"] & { stale?: boolean };
/** What a change means for the list of seams. */
type Patch = Schemas["Patch"];
type Rated = Pick<Seam, "verdict" | "brief" | "what" | "score" | "accepted" | "print" | "stale">;
/** What lies on the tracks: as it is, or as an edit would leave it. */
type Things = { tracks: Map<number, Track>; sources: Map<number, Source>; clips: Map<number, Clip>; blends: Map<number, Blend>; markers: Map<number, Marker>; strikes: Map<number, Strike>; points: Map<number, Point>; swatches: Map<number, Swatch>; ties: Map<number, Tie> };
type Laid = Things & { struck: Map<number, Strike[]>; lines: Map<number, Point[]>; lanes: Map<number, Clip[]> };

declare const Alpine: {
  data(name: string, make: () => object): void;
  store(name: string, value?: object): any;
  reactive<T extends object>(value: T): T;
  effect(run: () => void): void;
  nextTick(run?: () => void): Promise<void>;
};
