import { useState } from "react";
import { api, asProblem, got, type Problem } from "../../api/client";
import { useQueryClient } from "@tanstack/react-query";
import { Button } from "../../ui/Button";
import { Over } from "../../ui/Over";
import { Choice, Input, Labelled, Trouble } from "../../ui/parts";
import { PortFields } from "./PortFields";

export function AddLine({ close }: { close: () => void }) {
  const client = useQueryClient();
  const [kind, setKind] = useState<"ip" | "serial">("ip");
  const [problem, setProblem] = useState<Problem>();
  const [busy, setBusy] = useState(false);

  async function add(event: React.FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = Object.fromEntries(new FormData(event.currentTarget)) as Record<string, string>;
    setBusy(true);
    try {
      await got(
        api.POST("/api/lines", {
          body:
            kind === "ip"
              ? { kind, name: form.name, network: form.network, speed: 9600, protocol: "osdp", parity: "N" }
              : {
                  kind,
                  name: form.name,
                  path: form.path,
                  speed: Number(form.speed),
                  protocol: form.protocol as "osdp" | "modbus" | "dialogue",
                  parity: form.parity as "N" | "E" | "O",
                },
        }),
      );
      await client.invalidateQueries({ queryKey: ["overview"] });
      close();
    } catch (error) {
      setProblem(asProblem(error));
    } finally {
      setBusy(false);
    }
  }

  return (
    <Over title="Add a line" note="One thing that devices hang on: an IP network, or a serial port with a bus." close={close}>
      <form onSubmit={add} className="flex flex-col gap-3 px-4 py-3">
        <Labelled label="Kind">
          <Choice value={kind} onChange={(event) => setKind(event.target.value as "ip" | "serial")}>
            <option value="ip">IP network</option>
            <option value="serial">Serial port</option>
          </Choice>
        </Labelled>
        <Labelled label="Name">
          <Input name="name" maxLength={80} placeholder="as people call it" />
        </Labelled>
        {kind === "ip" ? (
          <Labelled label="Network">
            <Input name="network" required placeholder="127.20.10.0/24" className="font-mono" />
          </Labelled>
        ) : (
          <>
            <Labelled label="What hangs on it">
              <Choice name="protocol" defaultValue="osdp">
                <option value="osdp">OSDP bus</option>
                <option value="modbus">Modbus RTU bus</option>
                <option value="dialogue">one device with a text dialogue</option>
              </Choice>
            </Labelled>
            <PortFields />
          </>
        )}
        {problem && <Trouble problem={problem} />}
        <div className="flex justify-end gap-2">
          <Button onClick={close}>Cancel</Button>
          <Button look="strong" type="submit" disabled={busy}>
            {busy ? "Trying the line …" : "Add this line"}
          </Button>
        </div>
      </form>
    </Over>
  );
}
