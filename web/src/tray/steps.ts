/** Kinds of steps in a person's words: short, and as a plan tells it. */
const STEPS: Record<string, { short: string; plan: string }> = {
  write: { short: "write", plan: "write and read back" },
  stage: { short: "write for the restart", plan: "write; it works after the restart" },
  store: { short: "store", plan: "store, so that a power cut does not take it" },
  restart: { short: "restart", plan: "restart, then read what works now" },
  readdress: { short: "new place", plan: "go to its new place, and be found there as itself; else it is put back" },
  "by-hand": { short: "by hand", plan: "somebody at the device" },
  "power-cycle": { short: "power cycle", plan: "take its power, give it back, and see it go and return as itself" },
  quiet: { short: "watch", plan: "watch it until it stood still for half a minute, as the proof" },
  perform: { short: "do it", plan: "do it, wait until it is back, and read what it has then" },
  backup: { short: "back up", plan: "back up, so that what it has now is not lost" },
  load: { short: "load firmware", plan: "check the file against it, send it, wait, find it again as itself, and prove its version" },
  "put back": { short: "put back", plan: "put back" },
};

export const stepName = (action: string): string => STEPS[action]?.short ?? action;
export const stepPlan = (action: string): string => STEPS[action]?.plan ?? action;
