/* Made by `make types` from mirvo/core/measure/drafts.py; not to be changed here. */

/** kind : card, rectangle, ellipse or segment, each with points of its own. */
export interface CalibrationDraft {
  kind?: string | null;
  a?: [number, number] | null;
  b?: [number, number] | null;
  corners?: ([number, number])[] | null;
  points?: ([number, number])[] | null;
  long_axis?: ([number, number])[] | null;
  length_mm?: number | null;
  width_mm?: number | null;
  height_above_root_plane_mm?: number | null;
  height_plus_minus_mm?: number | null;
  camera_height_mm?: number | null;
  focal_length_35mm?: number | null;
}

/**  */
export interface FlareDraft {
  outline: ([number, number])[];
}

/** A mark begun and not done: the tool it is set with, and its points so far. */
export interface MarkInHand {
  tool: string;
  kind?: string | null;
  points: ([number, number])[];
}

/** A proposed root the artist did not take: where it begins, px, and how sure it was, 0 to 1. */
export interface RejectedDraft {
  point: [number, number];
  confidence: number;
}

/**  */
export interface RootDraft {
  label: string;
  path?: ([number, number])[];
  base_width?: ([number, number])[] | null;
  end_width?: ([number, number])[] | null;
  points_sd_px?: number | null;
  base_sd_px?: number | null;
  tip_sd_px?: number | null;
  base_width_sd_px?: number | null;
  height?: number | string | null;
  feeders?: number | null;
  condition?: string | null;
  feeds?: (string)[] | null;
}

/**  */
export interface TrunkDraft {
  outline: ([number, number])[];
  height_mm?: number | null;
  outline_sd_px?: number | null;
}

/** Marks of a photo from above. */
export interface TopDraft {
  view?: "top" | "side";
  calibration?: CalibrationDraft | null;
  draft?: MarkInHand | null;
  click_sd_px?: number | null;
  focal_length_35mm?: number | null;
  front?: [number, number] | null;
  trunk?: TrunkDraft | null;
  trunks?: (TrunkDraft)[] | null;
  flare?: FlareDraft | null;
  roots: (RootDraft)[];
  points?: Record<string, [number, number]> | null;
  set?: boolean | null;
  underside?: boolean | null;
  flare_on_plane_only?: boolean | null;
  rejected?: (RejectedDraft)[] | null;
}

/**  */
export interface BallDraft {
  outline: ([number, number])[];
  wood?: (([number, number])[])[];
  trunk_diameter_mm?: number | null;
}

/**  */
export interface EmergenceDraft {
  label: string;
  point: [number, number];
}

/**  */
export interface SoilLineTrialDraft {
  line: string;
  point: [number, number];
}

/** Marks of a photo from the side. tried : soil lines or rims tried at other heights. */
export interface SideDraft {
  view?: "top" | "side";
  calibration?: CalibrationDraft | null;
  draft?: MarkInHand | null;
  click_sd_px?: number | null;
  focal_length_35mm?: number | null;
  soil_line?: ([number, number])[] | null;
  left_edge?: ([number, number])[] | null;
  right_edge?: ([number, number])[] | null;
  emergences: (EmergenceDraft)[];
  tried?: (SoilLineTrialDraft)[] | null;
  ball?: BallDraft | null;
  turntable_deg?: number | null;
}

/** The marks of a photo, from above or from the side. */
export type Marks = Partial<TopDraft & SideDraft>;
