import { useQueryClient } from "@tanstack/react-query";
import { type DragEvent, useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { overviewQuery } from "../api/queries";
import { useChange } from "../api/work";
import { carried } from "../lib/warp";

const KIND = "application/x-netloom-line";

/** Puts a line before or behind another one, for everybody. */
export function useOrder() {
  const client = useQueryClient();
  const change = useChange((lines: string[]) => got(api.PUT("/api/lines/order", { body: { lines } })));
  return (line: string, to: string) => {
    const now = (client.getQueryData<Schemas["Overview"]>(overviewQuery.queryKey)?.lines ?? []).map((one) => one.id);
    const next = carried(now, line, to);
    if (next) change.mutate(next);
  };
}

/** The head of a strand as something that is carried, and onto which another one is laid. */
export function useCarried(line: string) {
  const put = useOrder();
  const [over, setOver] = useState(false);
  if (!line) return { over: false };
  const takes = (event: DragEvent) => event.dataTransfer.types.includes(KIND);
  return {
    over,
    draggable: true,
    onDragStart: (event: DragEvent) => {
      event.dataTransfer.setData(KIND, line);
      event.dataTransfer.effectAllowed = "move";
    },
    onDragOver: (event: DragEvent) => {
      if (!takes(event)) return;
      event.preventDefault();
      setOver(true);
    },
    onDragLeave: () => setOver(false),
    onDrop: (event: DragEvent) => {
      setOver(false);
      if (!takes(event)) return;
      event.preventDefault();
      put(event.dataTransfer.getData(KIND), line);
    },
  };
}
