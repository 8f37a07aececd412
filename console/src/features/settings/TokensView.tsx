import { Select } from "@mantine/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { Moment } from "@/parts/Moment";
import { Empty, Loading } from "@/parts/Page";

/** The tokens with which the command line speaks for somebody, and the browsers in which they are: one's own, and for administrators those of others. */
export function TokensView() {
  const queries = useQueryClient();
  const { person, forbidden } = useSession();
  const [account, setAccount] = useState(person.account);
  const isOwn = account === person.account;
  const maySeeOthers = forbidden("POST /api/v1/accounts") === null;
  const accounts = useQuery({ queryKey: keys.accounts, queryFn: ({ signal }) => request("get", "/api/v1/accounts", { signal }), enabled: maySeeOthers });
  const tokens = useQuery({ queryKey: keys.tokens(account), queryFn: ({ signal }) => request("get", "/api/v1/tokens", { query: { account: isOwn ? undefined : account }, signal }) });
  const end = useMutation({ mutationFn: (id: string) => request("delete", "/api/v1/tokens/{id}", { path: { id } }), onSettled: () => void queries.invalidateQueries({ queryKey: keys.tokens() }) });
  if (isFailed(tokens)) return <ErrorNote error={tokens.error} retry={() => void tokens.refetch()} />;
  if (!tokens.data) return <Loading what="your tokens" />;
  return (
    <>
      {maySeeOthers && accounts.data && (
        <div className="toolbar">
          <Select label="Of" allowDeselect={false} searchable data={accounts.data.map((each) => ({ value: each.account, label: each.account === person.account ? `${each.account} (you)` : each.account }))} value={account} onChange={(value) => setAccount(value ?? person.account)} />
        </div>
      )}
      {tokens.data.length === 0 && <Empty title={isOwn ? "You have no token" : `${account} has no token and is in at no browser`}>The command line makes one: <code>bandejo sign-in {isOwn ? "NAME" : account}</code></Empty>}
      {end.error && <ErrorNote error={end.error} />}
      {tokens.data.length > 0 && <div className="sheet scroll-x">
        <table className="plain">
          <thead>
            <tr><th>For</th><th>May</th><th>Made</th><th>Expires</th><th><span className="visually-hidden">Act</span></th></tr>
          </thead>
          <tbody>
            {tokens.data.map((token) => (
              <tr key={token.id}>
                <td>{token.isSession ? (token.isThis ? "This browser" : "A browser") : token.label}</td>
                <td>{token.roles ? token.roles.join(", ") : (isOwn ? "All that you may" : `All that ${account} may`)}</td>
                <td><Moment at={token.created} /></td>
                <td><Moment at={token.expires} /></td>
                <td className="number"><button type="button" className="copy" aria-label={`End it: ${token.isSession ? "the session of a browser" : `the token for ${token.label}`}`} onClick={() => end.mutate(token.id)}>End it</button></td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>}
    </>
  );
}
