import { lazy } from "react";
import { stateOf } from "../../lib/knots";
import type { Lens } from "../lens";

export const route: Lens = {
  id: "route",
  name: "Route",
  Bench: lazy(async () => ({ default: (await import("./RouteBench")).RouteBench })),
  tells: (d) => ({ ...stateOf(d), word: d.model || d.kind, ordinary: true }),
  live: true,
  uncounted: true,
  open: () => false,
};
