import type { Kind } from "./kind";

export const verify: Kind = {
  kind: "verify",
  name: "Verify",
  writes: false,
  told: (run) =>
    Object.entries((run.result.summary ?? {}) as Record<string, number>)
      .filter(([, n]) => n)
      .map(([word, n]) => `${n} ${word}`)
      .join(", "),
};
