import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, got, type Schemas, uploadTo } from "../../api/client";
import { plural } from "../../lib/words";
import { Button } from "../../ui/Button";
import { Over } from "../../ui/Over";
import { Trouble } from "../../ui/parts";

type Looked = Schemas["Expected"];
const SAMPLE = "name\tmodel\tline\taddress\tarea\nLounge display\tas on its label\tits network\t127.20.20.49\tWaiting room";

/** A list of devices that should be there, pasted or from a CSV or XLSX file: looked at first, then planned. */
export function Expected({ close }: { close: () => void }) {
  const client = useQueryClient();
  const [text, setText] = useState("");
  const [file, setFile] = useState<File>();
  const look = useMutation({
    mutationFn: (plan: boolean): Promise<Looked> =>
      file ? uploadTo<Looked>(`/api/expected/${encodeURIComponent(file.name)}${plan ? "?plan=1" : ""}`, file) : got(api.POST("/api/expected", { body: { text, plan } })),
    onSuccess: (looked) => {
      if (looked.planned.length) {
        void client.invalidateQueries({ queryKey: ["devices"] });
        close();
      }
    },
  });
  const rows = look.data?.rows ?? [];
  const good = rows.filter((row) => !row.problem && !row.device);
  const there = rows.filter((row) => row.device);
  const wrong = rows.filter((row) => row.problem);
  return (
    <Over wide title="Expected devices" note="Paste a list, or choose a CSV or XLSX file. The first row names the columns: name, model, line, address, area, serial." held={!!text.trim() || !!file} close={close}>
      <div className="flex min-h-0 flex-col gap-3 overflow-auto px-4 py-3">
        {!look.data && (
          <>
            <textarea
              aria-label="List"
              value={text}
              disabled={!!file}
              placeholder={SAMPLE}
              onChange={(event) => setText(event.target.value)}
              className="h-44 rounded-[3px] border border-warp bg-cloth p-2 font-mono text-[12.5px]"
            />
            <label className="text-[12.5px] text-soft">
              or a file{" "}
              <input type="file" accept=".csv,.tsv,.txt,.xlsx" aria-label="File" onChange={(event) => setFile(event.target.files?.[0])} />
            </label>
          </>
        )}
        {look.error && <Trouble problem={asProblem(look.error)} />}
        {look.data && (
          <>
            <p className="text-[13px]">
              {plural(good.length, "device")} to plan, {there.length} already on record, {plural(wrong.length, "row")} with a problem.
            </p>
            <table className="w-full text-[12.5px]">
              <thead className="text-left text-soft">
                <tr>
                  {["Row", "Name", "Model", "Address", "What becomes of it"].map((head) => (
                    <th key={head} className="pr-2 font-normal">
                      {head}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rows.map((row) => (
                  <tr key={row.row} className="align-top">
                    <td className="pr-2 text-right font-mono">{row.row}</td>
                    <td className="pr-2">{row.name}</td>
                    <td className="pr-2">{row.model}</td>
                    <td className="pr-2 font-mono">{row.address}</td>
                    <td className={row.problem ? "text-madder" : "text-soft"}>
                      {row.problem ? `${row.problem} ${row.try}` : row.device ? "on record already, not changed" : "will be planned"}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </>
        )}
        <div className="flex justify-end gap-2">
          {look.data ? <Button onClick={() => look.reset()}>Back to the list</Button> : <Button onClick={close}>Cancel</Button>}
          {look.data ? (
            <Button look="strong" disabled={!good.length || look.isPending} onClick={() => look.mutate(true)}>
              Plan {plural(good.length, "device")}
            </Button>
          ) : (
            <Button look="strong" disabled={(!text.trim() && !file) || look.isPending} onClick={() => look.mutate(false)}>
              {look.isPending ? "Reading …" : "Look at the list"}
            </Button>
          )}
        </div>
      </div>
    </Over>
  );
}
