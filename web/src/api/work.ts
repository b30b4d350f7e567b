import { type QueryClient, useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { at, type Edit, edits } from "../lib/edits";
import { place } from "../lib/place";
import { plural } from "../lib/words";
import { api, asProblem, got, type Run, whole, type WholeDevice, type Work } from "./client";

export function tellProblem(error: unknown): void {
  const problem = asProblem(error);
  toast.error(problem.message, { description: problem.hint, duration: 12000 });
}

/** Begins a run; the tray shows the newest one, so this at once. */
export function useBegin() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (work: Work) => got(api.POST("/api/runs", { body: whole(work) })) as Promise<Run>,
    onSuccess: (run) => {
      place.set({ trayRun: "" });
      client.setQueryData<Run[]>(["runs"], (before) => [run, ...(before ?? []).filter((one) => one.id !== run.id)]);
      void client.invalidateQueries({ queryKey: ["runs"] });
    },
    onError: tellProblem,
  });
}

/** A change of records: told when it fails, and the lists are read anew. */
export function useChange<T>(change: (input: T) => Promise<unknown>, done?: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: () => done?.(),
    onError: tellProblem,
    onSettled: () => {
      for (const key of ["devices", "device", "overview", "free", "backups", "logins", "monitor", "firmware"])
        void client.invalidateQueries({ queryKey: [key] });
    },
  });
}

interface Value {
  device: string;
  path: string;
  value?: unknown;
  forget?: boolean;
}

/** Words that are filled in for each device and place where they stand in a text. */
const FILLED = /\{(n|nn|place|name|area|line|serial|last|kind|model)\}/;

/** Versions that our own changes made; another person's change is still told apart from them. */
const ours = new Map<string, number>();

/** Posts decisions on the versions that the page knows, one after the other. */
async function decideNow(client: QueryClient, changes: Value[], seen: Record<string, number>): Promise<void> {
  const versions = Object.fromEntries(Object.entries(seen).map(([id, version]) => [id, Math.max(version, ours.get(id) ?? 0)]));
  const fill = changes.some((change) => typeof change.value === "string" && FILLED.test(change.value));
  const body = { changes: changes.map((change) => ({ ...change, forget: change.forget ?? false })), versions, fill };
  try {
    const answer = await got(api.POST("/api/intended", { body }));
    for (const device of answer.devices) ours.set(device.id, device.version);
  } finally {
    for (const key of ["devices", "device"]) void client.invalidateQueries({ queryKey: [key] });
  }
}

const known = (client: QueryClient, id: string) => client.getQueryData<WholeDevice>(["device", id]);

/**
 * The way back of decisions: what was intended before them. Undefined where the page does not know it: of a secret it
 * has a mark only, and what was typed is not kept here.
 */
function editOf(client: QueryClient, changes: Value[]): Edit | undefined {
  const devices = new Map(changes.map((change) => [change.device, known(client, change.device)]));
  if ([...devices.values()].some((device) => !device)) return undefined;
  const settings = new Map([...devices.values()].flatMap((device) => device!.settings.map((one) => [`${device!.id} ${one.path}`, one])));
  if (changes.some(({ device, path }) => settings.get(`${device} ${path}`)?.type === "secret")) return undefined;
  const before = changes.map(({ device, path }): Value => {
    const value = at(devices.get(device)!.intended, path);
    return value === undefined ? { device, path, forget: true } : { device, path, value };
  });
  const versions = () => Object.fromEntries([...devices.keys()].map((id) => [id, known(client, id)?.version ?? 0]));
  const [first] = changes;
  const label = settings.get(`${first.device} ${first.path}`)?.label ?? first.path;
  const paths = new Set(changes.map((change) => change.path)).size;
  const on = devices.size === 1 ? devices.get(first.device)!.name : plural(devices.size, "device");
  return {
    paths: changes.map((change) => change.path),
    words: `${paths === 1 ? label : plural(paths, "value")} of ${on}`,
    back: () => decideNow(client, before, versions()),
    again: () => decideNow(client, changes, versions()),
  };
}

/**
 * Decide values, on the versions that the person saw. One change after the other, so that
 * quick hands do not conflict with themselves.
 */
export function useDecide() {
  const client = useQueryClient();
  return useMutation({
    scope: { id: "decide" },
    mutationFn: async ({ changes, versions }: { changes: Value[]; versions: Record<string, number> }) => {
      const edit = editOf(client, changes);
      await decideNow(client, changes, versions);
      if (edit) edits.done(edit);
    },
    onError: tellProblem,
  });
}

/** Takes the last decision back, or makes it again, and says which one that was. */
export function goThroughEdits(way: "undo" | "redo"): void {
  void edits[way]().then((words) => {
    if (words) toast(`${way === "undo" ? "Taken back" : "Decided again"}: ${words}.`);
  }, tellProblem);
}
