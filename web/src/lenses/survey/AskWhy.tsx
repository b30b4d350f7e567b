import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, asProblem, got, type Line } from "../../api/client";
import { Button } from "../../ui/Button";
import { Heading, Input, Trouble, Waiting } from "../../ui/parts";
import { Reasons } from "./WhyNot";

/** "Why is nothing at …?" for an address that a person types. */
export function AskWhy({ line }: { line: Line }) {
  const [address, setAddress] = useState("");
  const test = useMutation({ mutationFn: () => got(api.POST("/api/why", { body: { line: line.id, address: address.trim() } })) });
  return (
    <>
      <Heading>Why is nothing at …?</Heading>
      <form
        className="flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          test.mutate();
        }}
      >
        <Input aria-label="Address to ask about" value={address} placeholder={line.network.replace(/\d+\/\d+$/, "77")} onChange={(event) => setAddress(event.target.value)} className="w-44 font-mono" />
        <Button type="submit" disabled={!address.trim() || test.isPending}>
          {test.isPending ? "Testing …" : "Test it now"}
        </Button>
      </form>
      {test.isPending && <Waiting>Looking at the address by every quick method …</Waiting>}
      {test.error && <Trouble problem={asProblem(test.error)} />}
      {test.data && !test.isPending && (
        <div className="mt-2">
          {test.data.there && <p className="mb-2 text-[13px] font-medium text-woad">{test.data.there}</p>}
          <Reasons reasons={test.data.reasons} />
        </div>
      )}
    </>
  );
}
