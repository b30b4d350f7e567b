import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { place } from "../lib/place";
import { api, asProblem, got, type Run, whole, type Work } from "./client";

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
      for (const key of ["devices", "device", "overview", "free", "backups"])
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

/** Versions that our own changes made; another person's change is still told apart from them. */
const ours = new Map<string, number>();

/**
 * Decide values, on the versions that the person saw. One change after the other, so that
 * quick hands do not conflict with themselves.
 */
export function useDecide() {
  const client = useQueryClient();
  return useMutation({
    scope: { id: "decide" },
    mutationFn: async (input: { changes: Value[]; versions: Record<string, number> }) => {
      const versions = Object.fromEntries(
        Object.entries(input.versions).map(([id, seen]) => [id, Math.max(seen, ours.get(id) ?? 0)]),
      );
      const changes = input.changes.map((change) => ({ ...change, forget: change.forget ?? false }));
      const answer = await got(api.POST("/api/intended", { body: { changes, versions } }));
      for (const device of answer.devices) ours.set(device.id, device.version);
    },
    onError: tellProblem,
    onSettled: () => {
      for (const key of ["devices", "device"]) void client.invalidateQueries({ queryKey: [key] });
    },
  });
}
