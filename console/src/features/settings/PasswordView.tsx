import { Button, PasswordInput } from "@mantine/core";
import { notifications } from "@mantine/notifications";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Refused, request } from "@/api/request";
import { useSession } from "@/app/session";
import { ErrorNote } from "@/parts/ErrorNote";

/** Another password for whoever is signed in. */
export function PasswordView() {
  const { person } = useSession();
  const [old, setOld] = useState("");
  const [next, setNext] = useState("");
  const change = useMutation({
    mutationFn: () => request("post", "/api/v1/account/password", { body: { old, new: next } }),
    onSuccess: () => {
      setOld("");
      setNext("");
      notifications.show({ message: "Your password is changed; your other tokens and sessions have ended." });
    },
  });
  const eye = { "aria-label": "Show the password" };
  return (
    <form className="form sheet pad" onSubmit={(event) => { event.preventDefault(); change.mutate(); }}>
      <p>Every other token and session of yours ends with it: programs that use one need a new one then.</p>
      <input type="text" autoComplete="username" value={person.account} readOnly hidden />
      <PasswordInput label="The password you have" autoComplete="current-password" required value={old} onChange={(event) => setOld(event.currentTarget.value)} visibilityToggleButtonProps={eye} />
      <PasswordInput label="The new one" description="At least 10 characters" autoComplete="new-password" required value={next} onChange={(event) => setNext(event.currentTarget.value)} visibilityToggleButtonProps={eye} />
      {change.error && <ErrorNote error={change.error instanceof Refused && change.error.status === 401 ? new Refused(401, "Not changed", "That is not the password you have.") : change.error} />}
      <div className="acts">
        <Button type="submit" variant="filled" loading={change.isPending} disabled={old === "" || next === ""}>Change your password</Button>
      </div>
    </form>
  );
}
