import type { Kind } from "./kind";

export const sweep: Kind = {
  kind: "sweep",
  name: "Sweep",
  writes: false,
  told: (run) => {
    const found = (run.result.found as unknown[] | undefined)?.length ?? 0;
    const named = (word: string, of: unknown) => {
      const all = (of as { name: string }[] | undefined) ?? [];
      return all.length ? `; ${word}: ${all.map((one) => one.name).join(", ")}` : "";
    };
    return `${found} found${named("missing", run.result.missing)}${named("not looked at", run.result.not_looked)}`;
  },
};
