import type { ComponentType } from "react";
import type { Device, Schemas } from "../api/client";
import type { Telling } from "../lib/knots";

export interface BenchProps {
  chosen: Device[];
  devices: Device[];
  overview: Schemas["Overview"];
  person: Schemas["Person"];
}

/** Why something is left to do under a lens, for those devices of which it is so. */
export interface Cause {
  title: string;
  of: (device: Device) => boolean;
  means?: string;
  /** What can be begun for all of them; `{n}` is how many. What writes shows its plan first. */
  act?: { label: string; kind: "apply" | "read" | "backup" | "verify" | "codes" };
}

/** One way to look at the installation: a folder beside this file, and a line in the registry. */
export interface Lens {
  id: string;
  name: string;
  /** Loaded when it is first shown. */
  Bench: ComponentType<BenchProps>;
  /** What the knot of a device in its ordinary state tells. */
  tells: (device: Device) => Telling;
  /** Whether something is left to do about the device. */
  open: (device: Device) => boolean;
  /** Nothing of it is ever finished: it says nowhere that nothing is left to do. */
  uncounted?: boolean;
  /** What is left to do, by cause, first things first; shown on the bench while nothing is selected. */
  causes?: Cause[];
  /** Its bench says itself what is left to do, where that belongs. */
  tellsLeft?: boolean;
  /** Live states of points can be shown on its knots. */
  live?: boolean;
  /** Where devices are to go stands on their strands, too. */
  ghosts?: boolean;
  /** Under it people look for devices: the loom offers filters and lists, and watched devices are told like others. */
  finds?: boolean;
}
