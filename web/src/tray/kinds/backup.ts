import { type Kind, toldOfSteps } from "./kind";

export const backup: Kind = { kind: "backup", name: "Backup", writes: false, told: toldOfSteps };
