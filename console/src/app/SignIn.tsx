import { Button, PasswordInput, TextInput } from "@mantine/core";
import { useState } from "react";
import { request } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import type { Person } from "./session";

/** Asks for name and password. */
export function SignIn({ signedIn, notice }: { signedIn: (person: Person) => void; notice: string | null }) {
  const [account, setAccount] = useState("");
  const [password, setPassword] = useState("");
  const [error, setError] = useState<unknown>(null);
  const [isBusy, setIsBusy] = useState(false);

  async function submit() {
    setIsBusy(true);
    setError(null);
    try {
      signedIn(await request("post", "/api/v1/session", { body: { account: account.trim(), password } }));
    } catch (refused) {
      setError(refused);
    } finally {
      setIsBusy(false);
    }
  }

  return (
    <main className="sign-in">
      <form
        className="sheet sign-in-card form"
        onSubmit={(event) => {
          event.preventDefault();
          void submit();
        }}
      >
        <h1>
          <img src="/mark.svg" alt="" width="34" height="34" /> Bandejo
        </h1>
        {notice && !error && <p className="quiet">{notice}</p>}
        <TextInput label="Account" value={account} onChange={(event) => setAccount(event.currentTarget.value)} autoComplete="username" autoFocus required />
        <PasswordInput label="Password" value={password} onChange={(event) => setPassword(event.currentTarget.value)} autoComplete="current-password" required visibilityToggleButtonProps={{ "aria-label": "Show the password" }} />
        {error !== null && <ErrorNote error={error} />}
        <Button type="submit" variant="filled" loading={isBusy} size="sm">
          Sign in
        </Button>
        <p className="quiet">
          An administrator makes accounts: <code>bandejo account new NAME --role viewer</code>
        </p>
      </form>
    </main>
  );
}
