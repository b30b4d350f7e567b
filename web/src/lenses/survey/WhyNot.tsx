import { useMutation } from "@tanstack/react-query";
import { api, asProblem, got, type Schemas, type WholeDevice } from "../../api/client";
import { useDecide } from "../../api/work";
import { PATTERNS } from "../../lib/lights";
import { ask } from "../../lib/place";
import { Button } from "../../ui/Button";
import { Heading, Trouble, Waiting } from "../../ui/parts";

type Reason = Schemas["Reason"];

/** Why a device is not there: ranked reasons, each with the test that it comes from and what to try. */
export function WhyNot({ device }: { device: WholeDevice }) {
  const test = useMutation({ mutationFn: () => got(api.POST("/api/why", { body: { device: device.id } })) });
  const reasons = test.data?.reasons ?? device.reasons;
  const absent = ["missing", "not-looked"].includes(device.state) || device.state === "planned";
  return (
    <>
      {device.mode && (
        <p className="mb-2 rounded-[3px] bg-weld-wash px-3 py-2 text-[13px] text-weld">
          It is in its {device.mode} mode, seen by {device.methods.join(", ")}. {device.mode_note}
        </p>
      )}
      {device.state === "duplicate" && !reasons.length && (
        <p className="mb-2 rounded-[3px] bg-madder-wash px-3 py-2 text-[13px] text-madder">
          Another device answers at the same address. Give one of the two another; unplug one if both are silent to that.
        </p>
      )}
      {(absent || reasons.length > 0) && (
        <>
          <Heading
            aside={
              <Button look="bare" disabled={test.isPending} onClick={() => test.mutate()}>
                {test.isPending ? "Testing …" : reasons.length ? "Test again now" : "Why not? Test now"}
              </Button>
            }
          >
            Why it is not there
          </Heading>
          {test.isPending && <Waiting>Looking at its address by every method, at the port, the interface and the switch …</Waiting>}
          {test.error && <Trouble problem={asProblem(test.error)} />}
          {test.data?.there && <p className="mb-2 text-[13px] font-medium text-woad">{test.data.there}</p>}
          <Reasons reasons={reasons} />
          <Look device={device} seen={() => test.mutate()} />
        </>
      )}
    </>
  );
}

/** What its lights show is evidence, too: whoever stands before it says it, and the tests are made again with that. */
function Look({ device, seen }: { device: WholeDevice; seen: () => void }) {
  const say = useMutation({
    mutationFn: (body: Schemas["LookedRequest"]) => got(api.POST("/api/devices/{word}/lights", { params: { path: { word: device.id } }, body })),
    onSuccess: seen,
  });
  if (!device.face.lights.length) return null;
  return (
    <section aria-label="What its lights show" className="mt-3">
      <Heading aside="if you stand before it">Look at it</Heading>
      {device.face.lights.map((light) => (
        <div key={light.printed} className="mb-2 text-[13px]">
          <p>
            <b className="font-mono">{light.printed}</b> <span className="text-soft">{light.where}</span>
          </p>
          <div className="mt-1 flex flex-wrap gap-1">
            {light.patterns.map((one) => (
              <Button
                key={`${one.pattern}${one.colour}`}
                disabled={say.isPending}
                title={one.means}
                onClick={() => say.mutate({ printed: light.printed, pattern: one.pattern, colour: one.colour })}
              >
                {`${one.colour} ${PATTERNS[one.pattern] ?? one.pattern}`.trim()}
              </Button>
            ))}
          </div>
        </div>
      ))}
      {say.error && <Trouble problem={asProblem(say.error)} />}
    </section>
  );
}

export function Reasons({ reasons }: { reasons: Reason[] }) {
  return (
    <ol aria-label="Reasons, likeliest first" className="flex flex-col gap-2">
      {reasons.map((one, index) => (
        <li key={one.reason} className="grid grid-cols-[1.4rem_1fr] text-[13px]">
          <span className="font-mono text-[12px] text-soft">{index + 1}</span>
          <div className="border-l-2 border-madder pl-3">
            <p className={index === 0 ? "font-semibold" : ""}>{one.reason}</p>
            <p>Try: {one.try}</p>
            {one.test && <p className="text-[12px] text-soft">Known from: {one.test}</p>}
            {one.offer && <Offer offer={one.offer} />}
          </div>
        </li>
      ))}
    </ol>
  );
}

/** Something that Netloom can do about it: decide the value, then show the plan before anything is written. */
function Offer({ offer }: { offer: NonNullable<Reason["offer"]> }) {
  const decide = useDecide();
  return (
    <Button
      className="mt-1"
      disabled={decide.isPending}
      onClick={() =>
        decide.mutate(
          { changes: [{ device: offer.device, path: offer.path, value: offer.value }], versions: {} },
          { onSuccess: () => ask({ kind: "apply", devices: [offer.device] }) },
        )
      }
    >
      Set {offer.path} to {String(offer.value)} …
    </Button>
  );
}
