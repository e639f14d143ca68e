/** How what plays is heard: which sides, which paths and sources, less which other sound. */
export interface Toggles {
  mono: boolean;
  swap: boolean;
  /** Polarity of each side. */
  left: boolean;
  right: boolean;
  /** Another voice is taken away from the heard one. */
  difference: string | null;
  /** Only this stem is heard. */
  solo: number | null;
  exaggerate: boolean;
  /** Sources that are not heard. */
  silent: readonly string[];
}

export const PLAIN: Toggles = {
  mono: false,
  swap: false,
  left: false,
  right: false,
  difference: null,
  solo: null,
  exaggerate: false,
  silent: [],
};
