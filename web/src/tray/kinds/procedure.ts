import { type Kind, toldOfSteps } from "./kind";

export const procedure: Kind = { kind: "procedure", name: "Procedure", plan: "What the device would do", writes: false, asWhole: true, told: toldOfSteps };
