import { useState } from "react";
import { asProblem, type Problem, type Schemas, uploadTo } from "../api/client";
import { useChange } from "../api/work";
import { plural } from "../lib/words";
import { Button } from "../ui/Button";
import { Heading, Trouble, Waiting } from "../ui/parts";

type Table = Schemas["Table"];

interface Props {
  /** Without one it stands under what is above it. */
  title?: string;
  /** What it is, and what the field is called. */
  words: string;
  label: string;
  /** Where it goes, without its name. */
  url: string;
}

/** A table that was changed elsewhere: what it would change and which rows cannot be, before anything is decided. */
export function TableBack({ title, words, label, url }: Props) {
  const [file, setFile] = useState<File>();
  const [told, setTold] = useState<Table>();
  const [problem, setProblem] = useState<Problem>();
  const look = useChange(async ({ file, decide }: { file: File; decide: boolean }) => {
    setProblem(undefined);
    try {
      setTold(await uploadTo<Table>(`${url}/${encodeURIComponent(file.name)}${decide ? "?decide=1" : ""}`, file));
      if (decide) setFile(undefined);
    } catch (error) {
      setProblem(asProblem(error));
    }
  });
  const bad = told?.rows.filter((row) => row.problem) ?? [];
  const good = told?.rows.filter((row) => !row.problem && Object.keys(row.changes).length) ?? [];
  return (
    <>
      {title && <Heading>{title}</Heading>}
      <label className="text-[13px] text-soft">
        {words}{" "}
        <input
          type="file"
          accept=".csv,.xlsx,.txt"
          aria-label={label}
          className="mt-1 block text-[13px]"
          onChange={(event) => {
            const chosen = event.target.files?.[0];
            event.target.value = "";
            if (!chosen) return;
            setFile(chosen);
            setTold(undefined);
            look.mutate({ file: chosen, decide: false });
          }}
        />
      </label>
      {look.isPending && <Waiting>Reading the table …</Waiting>}
      {problem && <Trouble problem={problem} />}
      {told && (
        <div className="mt-2 text-[13px]">
          <p>
            {told.decided ? `${plural(told.decided, "device")} decided by it; nothing is written yet.` : `${plural(told.rows.length, "row")}: ${good.length} would change something, ${bad.length} cannot be.`}
          </p>
          <ul className="max-h-60 overflow-auto">
            {bad.map((row) => (
              <li key={row.number} className="border-t border-weave/60 py-0.5">
                Row {row.number} <b className="font-medium">{row.name}</b> <span className="text-madder">{row.problem}</span> <span className="text-soft">{row.hint}</span>
              </li>
            ))}
            {good.map((row) => (
              <li key={row.number} className="border-t border-weave/60 py-0.5">
                Row {row.number} <b className="font-medium">{row.name}</b>{" "}
                <span className="font-mono text-[12.5px]">{Object.entries(row.changes).map(([what, to]) => `${row.before[what] || "nothing"} → ${to}`).join(", ")}</span>
              </li>
            ))}
          </ul>
          {file && good.length > 0 && !told.decided && (
            <Button look="strong" className="mt-2" disabled={look.isPending} onClick={() => look.mutate({ file, decide: true })}>
              Decide this for {plural(good.length, "device")}
            </Button>
          )}
        </div>
      )}
    </>
  );
}
