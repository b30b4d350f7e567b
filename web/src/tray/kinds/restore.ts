import { type Kind, toldOfSteps } from "./kind";

export const restore: Kind = { kind: "restore", name: "Restore", plan: "Restore a backup", writes: true, told: toldOfSteps };
