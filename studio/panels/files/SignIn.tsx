"use client";
import { useState } from "react";
import { ask } from "@/state/sync/api";
import { Button } from "@/ui/controls";
import { Mark } from "@/ui/Mark";

/** Asks for the passphrase of a server that is open to the network. */
export function SignIn({ to }: { to: string }) {
  const [wrong, setWrong] = useState("");
  const [busy, setBusy] = useState(false);
  const signIn = async (passphrase: string): Promise<void> => {
    setBusy(true);
    try {
      await ask("/api/sign-in", { json: { passphrase } });
      location.assign(to + location.hash);
    } catch (error) {
      setWrong((error as Error).message);
      setBusy(false);
    }
  };
  return (
    <main className="grid h-dvh place-items-center bg-ground px-4">
      <form
        className="w-full max-w-[340px] rounded-lg border border-line bg-raised p-6 shadow-float"
        onSubmit={(e) => {
          e.preventDefault();
          void signIn(String(new FormData(e.currentTarget).get("passphrase") ?? ""));
        }}
      >
        <h1 className="flex items-center gap-2.5 font-semibold text-lg">
          <Mark /> Wet Thread
        </h1>
        <label htmlFor="passphrase" className="mt-5 mb-1 block text-ink-2">
          Passphrase of this server
        </label>
        <input
          id="passphrase"
          name="passphrase"
          type="password"
          autoComplete="current-password"
          required
          // biome-ignore lint/a11y/noAutofocus: there is nothing else to do here
          autoFocus
          className="h-9 w-full rounded-md border border-line bg-surface px-2.5"
          aria-describedby="wrong"
        />
        <p id="wrong" role="alert" className="mt-1.5 min-h-5 text-madder text-sm">
          {wrong}
        </p>
        <Button look="main" type="submit" className="mt-1 w-full" disabled={busy}>
          Sign in
        </Button>
      </form>
    </main>
  );
}
