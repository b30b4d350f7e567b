import { useMutation, useQueryClient } from "@tanstack/react-query";
import { toast } from "sonner";
import { place } from "../lib/place";
import { api, asProblem, got, type Run, type Work } from "./client";

export function tellProblem(error: unknown): void {
  const problem = asProblem(error);
  toast.error(problem.message, { description: problem.hint, duration: 12000 });
}

/** Begins a run; the tray shows it at once. */
export function useBegin() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (work: Work) => got(api.POST("/api/runs", { body: work })) as Promise<Run>,
    onSuccess: (run) => {
      place.set({ trayRun: run.id });
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

/** Decide values, on the versions that the person saw. */
export const decide = (input: { changes: Value[]; versions?: Record<string, number> }) =>
  got(
    api.POST("/api/intended", {
      body: { changes: input.changes.map((c) => ({ ...c, forget: c.forget ?? false })), versions: input.versions },
    }),
  );
