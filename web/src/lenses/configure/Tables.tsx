import { useState } from "react";
import { asProblem, type Problem, save, type Setting, type WholeDevice } from "../../api/client";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Heading, Trouble } from "../../ui/parts";
import { TableBack } from "../../bench/TableBack";

const mayBeIn = (setting: Setting) => setting.type !== "secret" && !setting.reserved && setting.role !== "address" && setting.role !== "password";

/** The settings in view as a table for a spreadsheet, and one that comes back from there. */
export function Tables({ devices, settings }: { devices: WholeDevice[]; settings: Setting[] }) {
  const [problem, setProblem] = useState<Problem>();
  const those = settings.filter(mayBeIn);
  const take = async (form: "csv" | "xlsx") => {
    setProblem(undefined);
    try {
      await save("/api/settings/sheet", { devices: devices.map((d) => d.id), paths: those.map((s) => s.path), form }, `settings.${form}`);
    } catch (error) {
      setProblem(asProblem(error));
    }
  };
  return (
    <section aria-label="Tables" className="mt-4">
      <Heading aside={`a row for each device, ${plural(those.length, "column")}`}>As a table</Heading>
      <p className="flex flex-wrap items-center gap-2 text-[13px]">
        <span className="text-soft">What is in view:</span>
        <Button disabled={!those.length} onClick={() => void take("xlsx")}>
          Take out as XLSX
        </Button>
        <Button disabled={!those.length} onClick={() => void take("csv")}>
          Take out as CSV
        </Button>
      </p>
      {problem && <Trouble problem={problem} />}
      <TableBack words="A CSV or XLSX as above, changed elsewhere:" label="Table of settings that was changed" url="/api/settings/table" />
    </section>
  );
}
