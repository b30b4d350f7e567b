import type { ComponentType } from "react";
import type { Device, Schemas } from "../api/client";
import type { Telling } from "../lib/knots";

export interface BenchProps {
  chosen: Device[];
  devices: Device[];
  overview: Schemas["Overview"];
  person: Schemas["Person"];
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
  /** Under it people look for devices: the loom offers filters and lists, and watched devices are told like others. */
  finds?: boolean;
}
