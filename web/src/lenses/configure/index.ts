import { lazy } from "react";
import { counted, stateOf } from "../../lib/knots";
import type { Lens } from "../lens";

export const configure: Lens = {
  id: "configure",
  name: "Configure",
  Bench: lazy(async () => ({ default: (await import("./ConfigureBench")).ConfigureBench })),
  tells: (d) =>
    d.counts.pending || d.counts.unkept
      ? { shape: "half", tone: "weld", word: counted(d, "pending", "unkept") }
      : { ...stateOf(d), word: "as intended" },
  open: (d) => d.taken_in && d.counts.pending + d.counts.unkept > 0,
};
