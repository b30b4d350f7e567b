import { lazy } from "react";
import type { Lens } from "../lens";

export const protect: Lens = {
  id: "protect",
  name: "Protect",
  Bench: lazy(async () => ({ default: (await import("./ProtectBench")).ProtectBench })),
  tells: (d) =>
    d.baseline ? { shape: "whole", tone: "woad", word: "has a baseline", ordinary: true } : { shape: "open", tone: "weld", word: "no baseline" },
  causes: [
    { title: "No approved record yet", of: (d) => d.taken_in && d.managed !== false && !d.baseline && d.state === "known", means: "A lead approves a backup as baseline; Prove compares with that.", act: { label: "Back up {n}", kind: "backup" } },
    { title: "No approved record, and not reached", of: (d) => d.taken_in && d.managed !== false && !d.baseline && d.state !== "known" },
  ],
  open: (d) => d.taken_in && d.managed !== false && !d.baseline,
};
