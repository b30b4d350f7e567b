import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { WholeDevice } from "../../api/client";
import { consoleLogQuery, consoleLogsQuery } from "../../api/queries";
import { exact, plural } from "../../lib/words";
import { printables } from "../../lib/bytes";
import { Heading, Waiting } from "../../ui/parts";

/** Logs of consoles that people had with the device. */
export function ConsoleLogs({ device }: { device: WholeDevice }) {
  const logs = useQuery(consoleLogsQuery(device.id));
  const [open, setOpen] = useState("");
  if (!logs.data?.length) return null;
  return (
    <>
      <Heading aside={plural(logs.data.length, "log")}>Console logs</Heading>
      <ul className="flex flex-col gap-1 text-[12.5px]">
        {logs.data.map((log) => (
          <li key={log.id}>
            <button type="button" className="hover:underline" aria-expanded={open === log.id} onClick={() => setOpen(open === log.id ? "" : log.id)}>
              {exact(log.begun)} by {log.by}, {log.kind}
              {!log.ended && ", open now"}
            </button>
            {open === log.id && <Log id={log.id} />}
          </li>
        ))}
      </ul>
    </>
  );
}

function Log({ id }: { id: string }) {
  const log = useQuery(consoleLogQuery(id));
  if (!log.data) return <Waiting>Reading the log …</Waiting>;
  const texts = printables(log.data.entries, (entry) => entry.direction);
  return (
    <ol className="mt-1 max-h-72 overflow-auto rounded-[3px] bg-ground px-2 py-1 font-mono text-[12px]">
      {log.data.entries.map((entry, index) => (
        <li key={index} className="grid grid-cols-[5.5rem_2.6rem_1fr] gap-1">
          <span className="text-soft">{new Date(entry.time).toLocaleTimeString()}</span>
          <span className="text-soft">{entry.direction === "in" ? "came" : entry.direction === "out" ? "sent" : "note"}</span>
          <span className="break-all whitespace-pre-wrap">{texts[index]}</span>
        </li>
      ))}
    </ol>
  );
}
