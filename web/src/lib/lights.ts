/** How a light or a sound of a device goes on, in words. */
export const PATTERNS: Record<string, string> = {
  off: "dark",
  steady: "steady",
  slow: "blinks slowly",
  fast: "blinks fast",
  double: "blinks twice",
  alternating: "alternates",
  chime: "chimes",
  tone: "sounds on and on",
};
