import type { ComponentType } from "react";
import type { WholeDevice } from "../../../api/client";
import { Crosspoints } from "./Crosspoints";
import { Levels } from "./Levels";

interface Props {
  device: WholeDevice;
  view: WholeDevice["face"]["views"][number];
  set: (path: string, value: unknown) => void;
}

/** Pictures of several items by their kind in a profile. */
export const VIEW_KEYS: Record<string, string> = { crosspoint: "filled: runs · ringed: decided", levels: "slider: decided · bar: measured · below: runs" };

export const VIEWS: Record<string, ComponentType<Props>> = { crosspoint: Crosspoints, levels: Levels };
