import { lazy } from "react";
import { drifted, stateOf } from "../../lib/knots";
import type { Lens } from "../lens";

export const survey: Lens = {
  id: "survey",
  name: "Survey",
  Bench: lazy(async () => ({ default: (await import("./SurveyBench")).SurveyBench })),
  tells: (d) => (d.counts.drift || d.counts.lost ? drifted(d) : stateOf(d)),
  open: (d) => !d.taken_in || d.state !== "known" || !!d.mode || !!d.firmware_trouble,
  finds: true,
};
