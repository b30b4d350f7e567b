import { place } from "../../lib/place";
import { useStore } from "../../lib/store";
import { WithDevice } from "../../bench/WithDevice";
import type { BenchProps } from "../lens";
import { ConsoleLogs } from "./ConsoleLogs";
import { Evidence } from "./Evidence";
import { Identity } from "./Identity";
import { LinePanel } from "./LinePanel";
import { Overall } from "./Overall";
import { TakeIn } from "./TakeIn";
import { WhyNot } from "./WhyNot";

/** Survey: sweep, see who came, who is new and who is missing and why, take in. */
export function SurveyBench({ chosen, devices, overview }: BenchProps) {
  const fresh = chosen.filter((d) => !d.taken_in);
  const at = useStore(place, (p) => p.line);
  const line = overview.lines.find((one) => one.id === at);
  return (
    <>
      {fresh.length > 0 && <TakeIn key={fresh.map((d) => d.id).join()} fresh={fresh} devices={devices} overview={overview} />}
      {chosen.length === 1 ? (
        <WithDevice key={`about-${chosen[0].id}`} id={chosen[0].id}>
          {(whole) => (
            <>
              <WhyNot device={whole} />
              <Identity device={whole} devices={devices} />
              <Evidence device={whole} />
              <ConsoleLogs device={whole} />
            </>
          )}
        </WithDevice>
      ) : (
        !fresh.length && !chosen.length && (line ? <LinePanel key={line.id} line={line} /> : <Overall devices={devices} lines={overview.lines} />)
      )}
    </>
  );
}
