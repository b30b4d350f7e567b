import type { Kind } from "./kind";

export const sweep: Kind = {
  kind: "sweep",
  name: "Sweep",
  writes: false,
  told: (run) => {
    const found = (run.result.found as unknown[] | undefined)?.length ?? 0;
    const missing = (run.result.missing as { name: string }[] | undefined) ?? [];
    return `${found} found${missing.length ? `; missing: ${missing.map((one) => one.name).join(", ")}` : ""}`;
  },
};
