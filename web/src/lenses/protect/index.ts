import { lazy } from "react";
import type { Lens } from "../lens";

export const protect: Lens = {
  id: "protect",
  name: "Protect",
  Bench: lazy(async () => ({ default: (await import("./ProtectBench")).ProtectBench })),
  tells: (d) =>
    d.baseline ? { shape: "whole", tone: "woad", word: "has a baseline" } : { shape: "open", tone: "weld", word: "no baseline" },
  open: (d) => d.taken_in && d.managed !== false && !d.baseline,
};
