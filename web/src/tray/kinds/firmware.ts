import { type Kind, toldOfSteps } from "./kind";

export const firmware: Kind = { kind: "firmware", name: "Firmware", plan: "What would be loaded", writes: false, asWhole: true, told: toldOfSteps };
