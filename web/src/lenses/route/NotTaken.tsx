import type { Schemas } from "../../api/client";
import { Button } from "../../ui/Button";

const WORDS: Record<string, string> = {
  locked: "locked",
  refused: "refused",
  "not-followed": "did not follow",
  "not-sent": "not sent",
  unknown: "not known",
  unproven: "not proven",
};
const SHOWN = 8;

/** What was wanted and did not come true, each with the reason and what is there now. */
export function NotTaken({ cells, close }: { cells: Schemas["Taken"][]; close: () => void }) {
  if (!cells.length) return null;
  return (
    <div role="alert" className="mt-1.5 rounded-[3px] border border-madder/50 bg-madder-wash px-3 py-2 text-[12.5px]">
      <p className="flex items-center font-semibold text-madder">
        <span className="flex-1">{cells.length === 1 ? "One was not taken" : `${cells.length} were not taken`}; all others were.</span>
        <Button look="bare" className="!py-0" onClick={close}>
          I have seen it
        </Button>
      </p>
      <ul>
        {cells.slice(0, SHOWN).map((one) => (
          <li key={`${one.device} ${one.point}`}>
            <b className="font-medium">
              {one.label} of {one.name}
            </b>{" "}
            {WORDS[one.word] ?? one.word}: {one.message || `it is ${one.now}`}
          </li>
        ))}
      </ul>
      {cells.length > SHOWN && <p>and {cells.length - SHOWN} more</p>}
    </div>
  );
}
