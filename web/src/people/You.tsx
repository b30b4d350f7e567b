import { useQueryClient } from "@tanstack/react-query";
import { QRCodeSVG } from "qrcode.react";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { api, asProblem, got, Problem, type Schemas } from "../api/client";
import { Button } from "../ui/Button";
import { Leave } from "./Leave";
import { Heading, Input, Labelled, Mono, Trouble } from "../ui/parts";

/** What a form does when it is sent: told when it fails, and busy meanwhile. */
export function useForm(act: (fields: Record<string, string>) => Promise<unknown>) {
  const [problem, setProblem] = useState<Problem>();
  const [busy, setBusy] = useState(false);
  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = event.currentTarget;
    setBusy(true);
    setProblem(undefined);
    try {
      await act(Object.fromEntries(new FormData(form)) as Record<string, string>);
      form.reset();
    } catch (error) {
      setProblem(asProblem(error));
    } finally {
      setBusy(false);
    }
  }
  return { problem, busy, submit };
}

/** One's own password, second factor, and the way out. */
export function You({ person }: { person: Schemas["Person"] }) {
  return (
    <>
      <Password />
      <SecondFactor person={person} />
      <Leave />
    </>
  );
}

function Password() {
  const { problem, busy, submit } = useForm(async ({ old, fresh, again }) => {
    if (fresh !== again) throw new Problem("words", "The two new passwords are not the same.", "Type them again.");
    await got(api.POST("/api/session/password", { body: { old, new: fresh } }));
    toast.success("Your password is changed. Your other sessions, tokens and links have ended.");
  });
  return (
    <form onSubmit={submit}>
      <Heading aside="ends your other sessions, tokens and links">Password</Heading>
      <div className="grid gap-2 sm:grid-cols-3">
        <Labelled label="Old one; empty if there is none">
          <Input name="old" type="password" autoComplete="current-password" maxLength={200} />
        </Labelled>
        <Labelled label="New one, 10 characters or more">
          <Input name="fresh" type="password" autoComplete="new-password" required minLength={10} maxLength={200} />
        </Labelled>
        <Labelled label="New one again">
          <Input name="again" type="password" autoComplete="new-password" required maxLength={200} />
        </Labelled>
      </div>
      {problem && <Trouble problem={problem} />}
      <Button type="submit" disabled={busy} className="mt-2">
        Change the password
      </Button>
    </form>
  );
}

function SecondFactor({ person }: { person: Schemas["Person"] }) {
  const client = useQueryClient();
  const [key, setKey] = useState<Schemas["SecondFactor"]>();
  const [problem, setProblem] = useState<Problem>();
  const changed = () => client.invalidateQueries({ queryKey: ["session"] });
  const proving = useForm(async ({ code }) => {
    await got(api.PUT("/api/session/second-factor", { body: { code, active: true } }));
    setKey(undefined);
    toast.success("From now on a code is asked for when you sign in.");
    await changed();
  });
  const dropping = useForm(async ({ code }) => {
    await got(api.PUT("/api/session/second-factor", { body: { code, active: false } }));
    toast.success("No code is asked for any more.");
    await changed();
  });
  const begin = () =>
    got(api.POST("/api/session/second-factor")).then(setKey, (error: unknown) => setProblem(asProblem(error)));
  const code = (
    <Labelled label="Six digits that your app shows now">
      <Input name="code" inputMode="numeric" pattern="[0-9]{6}" maxLength={6} required autoComplete="one-time-code" className="w-40 font-mono" />
    </Labelled>
  );
  return (
    <>
      <Heading aside="TOTP (RFC 6238), any app for it">Code at sign-in</Heading>
      {person.second_factor ? (
        <form onSubmit={dropping.submit} className="flex flex-wrap items-end gap-2">
          <p className="flex-1 text-[13px]">A code of your app is asked for when you sign in with your password.</p>
          {code}
          <Button type="submit" disabled={dropping.busy}>
            Ask for it no more
          </Button>
        </form>
      ) : key ? (
        <form onSubmit={proving.submit} className="flex flex-wrap gap-4">
          <QRCodeSVG value={key.address} size={148} marginSize={2} title="Key for your app" />
          <div className="flex flex-1 flex-col items-start gap-2 text-[13px]">
            <p>Read the picture with your app, or type this key into it:</p>
            <Mono>{key.key}</Mono>
            {code}
            <Button look="strong" type="submit" disabled={proving.busy}>
              Ask for it from now on
            </Button>
          </div>
        </form>
      ) : (
        <div className="flex items-center gap-3">
          <p className="flex-1 text-[13px] text-soft">A password alone opens your account. An app on your phone can be asked for a code, too.</p>
          <Button onClick={() => void begin()}>Set up a code</Button>
        </div>
      )}
      {[problem, proving.problem, dropping.problem].map((one, index) => one && <Trouble key={index} problem={one} />)}
    </>
  );
}
