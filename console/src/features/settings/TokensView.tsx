import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { request } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { Moment } from "@/parts/Moment";
import { Empty, Loading } from "@/parts/Page";

/** The tokens with which the command line speaks for whoever is signed in, and the browsers in which they are. */
export function TokensView() {
  const queries = useQueryClient();
  const tokens = useQuery({ queryKey: ["tokens"], queryFn: ({ signal }) => request("get", "/api/v1/tokens", { signal }) });
  const end = useMutation({ mutationFn: (id: string) => request("delete", "/api/v1/tokens/{id}", { path: { id } }), onSettled: () => void queries.invalidateQueries({ queryKey: ["tokens"] }) });
  if (tokens.error) return <ErrorNote error={tokens.error} retry={() => void tokens.refetch()} />;
  if (!tokens.data) return <Loading what="your tokens" />;
  if (tokens.data.length === 0) return <Empty title="You have no token">The command line makes one: <code>bandejo sign-in NAME</code></Empty>;
  return (
    <>
      {end.error && <ErrorNote error={end.error} />}
      <div className="sheet scroll-x">
        <table className="plain">
          <thead>
            <tr><th>For</th><th>May</th><th>Made</th><th>Expires</th><th><span className="visually-hidden">Act</span></th></tr>
          </thead>
          <tbody>
            {tokens.data.map((token) => (
              <tr key={token.id}>
                <td>{token.isSession ? (token.isThis ? "This browser" : "A browser") : token.label}</td>
                <td>{token.roles ? token.roles.join(", ") : "All that you may"}</td>
                <td><Moment at={token.created} /></td>
                <td><Moment at={token.expires} /></td>
                <td className="number"><button type="button" className="copy" aria-label={`End it: ${token.isSession ? "the session of a browser" : `the token for ${token.label}`}`} onClick={() => end.mutate(token.id)}>End it</button></td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}
