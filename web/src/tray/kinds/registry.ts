import { apply } from "./apply";
import { backup } from "./backup";
import { firmware } from "./firmware";
import { type Kind, toldOfSteps } from "./kind";
import { procedure } from "./procedure";
import { read } from "./read";
import { restore } from "./restore";
import { sweep } from "./sweep";
import { undo } from "./undo";
import { verify } from "./verify";

const KINDS = new Map([sweep, read, apply, restore, undo, backup, verify, procedure, firmware].map((one) => [one.kind, one]));

/** All kinds of runs. A new one is a file and a name above; one that is not known yet is shown plainly. */
export function kindOf(kind: string): Kind {
  return KINDS.get(kind) ?? { kind, name: kind, writes: false, told: toldOfSteps };
}
