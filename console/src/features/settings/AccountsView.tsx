import { Button, Checkbox, Modal, PasswordInput, TextInput } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { Loading } from "@/parts/Page";

type Account = Schemas["AccountInfo"];
const ROLES = [
  ["viewer", "looks at everything"],
  ["packager", "builds, releases and withdraws packages"],
  ["operator", "starts and steers rollouts, edits groups"],
  ["approver", "lets a gate pass"],
  ["auditor", "looks at everything, the audit trail too"],
  ["administrator", "may do everything, accounts too"],
] as const;

/** Who may sign in, and with which roles. */
export function AccountsView() {
  const { forbidden } = useSession();
  const [edited, setEdited] = useState<Account | "new" | null>(null);
  const why = forbidden("GET /api/v1/accounts");
  const accounts = useQuery({ queryKey: keys.accounts, queryFn: ({ signal }) => request("get", "/api/v1/accounts", { signal }), enabled: why === null });
  if (why) return <div className="note"><p>{why}</p></div>;
  if (isFailed(accounts)) return <ErrorNote error={accounts.error} retry={() => void accounts.refetch()} />;
  if (!accounts.data) return <Loading what="the accounts" />;
  return (
    <>
      <div className="toolbar">
        <Act variant="filled" forbidden={forbidden("POST /api/v1/accounts")} onClick={() => setEdited("new")}>
          Make an account…
        </Act>
      </div>
      <div className="sheet scroll-x">
        <table className="plain">
          <thead>
            <tr><th>Account</th><th>Name</th><th>Roles</th><th>Keys for building</th><th><span className="visually-hidden">Act</span></th></tr>
          </thead>
          <tbody>
            {accounts.data.map((account) => (
              <tr key={account.account}>
                <td><strong>{account.account}</strong>{account.isDisabled && <span className="status">disabled</span>}</td>
                <td>{account.name}</td>
                <td>{account.roles.join(", ")}</td>
                <td>{account.signingKeys.length}</td>
                <td className="number"><button type="button" className="copy" aria-label={`Change ${account.account}`} onClick={() => setEdited(account)}>Change</button></td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <Modal opened={edited !== null} onClose={() => setEdited(null)} title={edited === "new" ? "Make an account" : edited ? `Change ${edited.account}` : ""} closeButtonProps={{ "aria-label": "Close" }}>
        {edited && <AccountForm account={edited === "new" ? null : edited} close={() => setEdited(null)} />}
      </Modal>
    </>
  );
}

function AccountForm({ account, close }: { account: Account | null; close: () => void }) {
  const queries = useQueryClient();
  const [short, setShort] = useState(account?.account ?? "");
  const [name, setName] = useState(account?.name ?? "");
  const [password, setPassword] = useState("");
  const [roles, setRoles] = useState<Account["roles"][number][]>([...(account?.roles ?? ["viewer"])]);
  const [isDisabled, setIsDisabled] = useState(account?.isDisabled ?? false);
  const save = useMutation({
    mutationFn: () =>
      account
        ? request("patch", "/api/v1/accounts/{account}", { path: { account: account.account }, body: { name, roles, isDisabled, password: password || null }, revision: account.revision })
        : request("post", "/api/v1/accounts", { body: { account: short, name: name || short, password, roles } }),
    onSuccess: close,
    onSettled: () => void queries.invalidateQueries({ queryKey: keys.accounts }),
  });
  return (
    <form className="form" onSubmit={(event) => { event.preventDefault(); save.mutate(); }}>
      {!account && <TextInput label="Account" description="2 to 32 lower-case letters, digits and hyphens" value={short} onChange={(event) => setShort(event.currentTarget.value)} required data-autofocus />}
      <TextInput label="Name" value={name} onChange={(event) => setName(event.currentTarget.value)} />
      <PasswordInput label={account ? "New password (empty leaves it)" : "Password"} description="At least 10 characters" value={password} onChange={(event) => setPassword(event.currentTarget.value)} required={!account} autoComplete="new-password" visibilityToggleButtonProps={{ "aria-label": "Show the password" }} />
      <Checkbox.Group label="Roles" value={roles} onChange={(chosen) => setRoles(ROLES.map(([role]) => role).filter((role) => chosen.includes(role)))}>
        <div className="form" style={{ gap: 6, marginTop: 4 }}>
          {ROLES.map(([role, says]) => <Checkbox key={role} value={role} label={`${role}: ${says}`} />)}
        </div>
      </Checkbox.Group>
      {account && <Checkbox label="Disabled: may not sign in any more" checked={isDisabled} onChange={(event) => setIsDisabled(event.currentTarget.checked)} />}
      {save.error && <ErrorNote error={save.error} />}
      <div className="acts" style={{ justifyContent: "flex-end" }}>
        <Button onClick={close}>Cancel</Button>
        <Button type="submit" variant="filled" loading={save.isPending}>{account ? `Change ${account.account}` : "Make the account"}</Button>
      </div>
    </form>
  );
}
