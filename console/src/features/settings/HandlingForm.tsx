import { Button, MultiSelect, Select, TagsInput, TextInput } from "@mantine/core";
import { useDebouncedValue } from "@mantine/hooks";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { keys } from "@/api/keys";
import { isStale, request, type Schemas } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { Leaving } from "@/parts/Leaving";
import { Meanwhile } from "@/parts/Meanwhile";

const AS_PACKAGED = { value: "as-packaged", label: "As the package has it" };
const CHOICES = [
  { key: "signedIn", label: "Who is signed in", data: [{ value: "nobody", label: "Wait until nobody is" }, { value: "anybody", label: "Do not wait" }] },
  { key: "restart", label: "Restart", data: [{ value: "never", label: "Never" }, { value: "as-told", label: "Where the installer says so" }, { value: "always", label: "After each install" }] },
  { key: "priority", label: "Priority", data: [{ value: "low", label: "Yield to everything else" }, { value: "usual", label: "As usual" }] },
  { key: "reset", label: "When it is taken away", data: [{ value: "keep", label: "Delete nothing of the user's" }] },
] as const;

function bodyOf(handling: Schemas["HandlingInfo"] | null): Schemas["HandlingRequest"] {
  return {
    name: handling?.name ?? "", signedIn: handling?.signedIn ?? "as-packaged", priority: handling?.priority ?? "as-packaged", restart: handling?.restart ?? "as-packaged", reset: handling?.reset ?? "as-packaged",
    close: handling?.close ?? [], settings: handling?.settings ?? {}, apps: handling?.apps ?? [],
  };
}

/** Makes a handling (null), or changes one, with whom that concerns below it. */
export function HandlingForm({ handling, close }: { handling: Schemas["HandlingInfo"] | null; close: () => void }) {
  const [slug, setSlug] = useState(handling?.slug ?? "");
  const [body, setBody] = useState(bodyOf(handling));
  const [first] = useState(body);
  const [revision, setRevision] = useState(handling?.revision);
  const [theirs, setTheirs] = useState<Schemas["HandlingInfo"] | null>(null);
  const set = (change: Partial<typeof body>) => setBody((now) => ({ ...now, ...change }));
  const apps = useQuery({ queryKey: keys.apps, queryFn: ({ signal }) => request("get", "/api/v1/apps", { signal }) });
  const [asked] = useDebouncedValue({ slug, body }, 300);
  const concerns = useQuery({
    queryKey: keys.handlingReach(asked),
    queryFn: ({ signal }) => request("post", "/api/v1/handlings/{slug}/concerns", { path: { slug: asked.slug }, body: asked.body, signal }),
    enabled: asked.slug !== "",
    retry: false,
  });
  const save = useMutation({
    mutationFn: () => request("put", "/api/v1/handlings/{slug}", { path: { slug }, body: { ...body, name: body.name || null }, revision }),
    onSuccess: close,
    onError: async (error) => setTheirs(handling && isStale(error) ? await request("get", "/api/v1/handlings/{slug}", { path: { slug } }) : null),
  });
  return (
    <form className="form sheet pad" onSubmit={(event) => { event.preventDefault(); save.mutate(); }}>
      <Leaving isDirty={body !== first && !save.isSuccess} what="this handling" />
      <div className="pair">
        <TextInput label="Name" value={body.name ?? ""} onChange={(event) => set({ name: event.currentTarget.value })} />
        <TextInput label="Short name" value={slug} disabled={handling !== null} required onChange={(event) => setSlug(event.currentTarget.value)} />
        {CHOICES.map((choice) => (
          <Select key={choice.key} label={choice.label} allowDeselect={false} data={[AS_PACKAGED, ...choice.data]} value={body[choice.key]} onChange={(value) => set({ [choice.key]: value ?? "as-packaged" })} />
        ))}
        <TagsInput label="Programs to close as well" description="Rivals, for instance" value={[...(body.close ?? [])]} onChange={(value) => set({ close: value })} />
        <TagsInput
          label="Values of settings"
          description="As name=value, for packages that have such a setting"
          value={Object.entries(body.settings ?? {}).map(([name, value]) => `${name}=${value}`)}
          onChange={(values) => set({ settings: Object.fromEntries(values.filter((each) => each.indexOf("=") > 0).map((each) => [each.slice(0, each.indexOf("=")), each.slice(each.indexOf("=") + 1)])) })}
        />
      </div>
      <MultiSelect label="For these apps" description="Unless a deployment names another" searchable data={(apps.data ?? []).map((app) => ({ value: app.app, label: app.name }))} value={[...(body.apps ?? [])]} onChange={(value) => set({ apps: value })} />
      {concerns.data && !concerns.error && <p role="status">{concerns.data.says}</p>}
      {theirs && (
        <Meanwhile
          what="this handling"
          says={`It says now: ${theirs.says}.`}
          takeTheirs={() => { setBody(bodyOf(theirs)); setRevision(theirs.revision); setTheirs(null); save.reset(); }}
          keepMine={() => { setRevision(theirs.revision); setTheirs(null); save.reset(); }}
        />
      )}
      {!theirs && (save.error ?? (slug ? concerns.error : null)) && <ErrorNote error={save.error ?? concerns.error} />}
      <div className="acts">
        <Button type="submit" variant="filled" loading={save.isPending} disabled={slug === "" || concerns.isError}>
          {`${handling ? "Change" : "Make"} the handling${concerns.data?.devices ? `, for ${concerns.data.devices} device${concerns.data.devices === 1 ? "" : "s"} at once` : ""}`}
        </Button>
        <Button onClick={close}>Cancel</Button>
      </div>
    </form>
  );
}
