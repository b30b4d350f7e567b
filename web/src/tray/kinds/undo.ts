import { type Kind, toldOfSteps } from "./kind";

export const undo: Kind = { kind: "undo", name: "Take back", plan: "Take back a run", writes: true, told: toldOfSteps };
