import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, asProblem, got, type Problem } from "../api/client";
import { Button } from "../ui/Button";
import { Input, Labelled, Trouble } from "../ui/parts";

export function SignIn() {
  const client = useQueryClient();
  const [problem, setProblem] = useState<Problem>();
  const [busy, setBusy] = useState(false);
  const [needsDigits, setNeedsDigits] = useState(false);
  const used = new URLSearchParams(location.search).get("link") === "used";

  async function submit(event: FormEvent<HTMLFormElement>) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    setBusy(true);
    try {
      const body = { username: String(form.get("username")), password: String(form.get("password")), code: String(form.get("code") ?? "") };
      client.setQueryData(["session"], await got(api.POST("/api/session", { body })));
    } catch (error) {
      const told = asProblem(error);
      setNeedsDigits((now) => now || told.code === "second-factor");
      setProblem(told.code === "second-factor" ? undefined : told);
    } finally {
      setBusy(false);
    }
  }

  return (
    <main className="grid h-full place-items-center p-6">
      <form onSubmit={submit} className="flex w-80 flex-col gap-3 rounded-[4px] border border-weave bg-cloth p-6">
        <h1 className="text-xl font-semibold">Netloom</h1>
        {used && (
          <p role="status" className="rounded-[3px] bg-weld-wash px-3 py-2 text-[13px] text-weld">
            That sign-in link was used already, or is too old. Start the server again for a new one, or sign in here.
          </p>
        )}
        <Labelled label="User name">
          <Input name="username" autoComplete="username" autoFocus required />
        </Labelled>
        <Labelled label="Password">
          <Input name="password" type="password" autoComplete="current-password" required />
        </Labelled>
        {needsDigits && (
          <Labelled label="Code of your app">
            <Input name="code" inputMode="numeric" autoComplete="one-time-code" pattern="[0-9]{6}" maxLength={6} autoFocus required />
          </Labelled>
        )}
        {problem && <Trouble problem={problem} />}
        <Button look="strong" type="submit" disabled={busy} className="justify-center">
          {busy ? "Signing in …" : "Sign in"}
        </Button>
        <p className="text-[12px] text-soft">The server prints a one-time sign-in link when it starts.</p>
      </form>
    </main>
  );
}
