import { type Kind, toldOfSteps } from "./kind";

export const apply: Kind = { kind: "apply", name: "Write", plan: "What would be written", writes: true, told: toldOfSteps };
