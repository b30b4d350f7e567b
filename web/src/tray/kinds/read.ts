import { type Kind, toldOfSteps } from "./kind";

export const read: Kind = { kind: "read", name: "Read", writes: false, told: toldOfSteps };
