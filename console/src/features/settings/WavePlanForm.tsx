import { Button, TextInput } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { isStale, request, type Schemas } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { Leaving } from "@/parts/Leaving";
import { Meanwhile } from "@/parts/Meanwhile";
import { hasTwins, type WaveDraft, WavesEditor } from "@/parts/WavesEditor";

function wavesOf(plan: Schemas["WavePlanInfo"]): WaveDraft[] {
  return plan.waves.map((wave) => ({ name: wave.name, pick: wave.pick, gate: wave.gate ?? "", opensAt: "", hours: wave.hours ?? "", due: wave.deadline ?? "" }));
}

/** Makes a wave plan (null), or changes one. */
export function WavePlanForm({ plan, close }: { plan: Schemas["WavePlanInfo"] | null; close: () => void }) {
  const [slug, setSlug] = useState(plan?.slug ?? "");
  const [name, setName] = useState(plan?.name ?? "");
  const [waves, setWaves] = useState<WaveDraft[]>(plan ? wavesOf(plan) : [
    { name: "Pilots", pick: "5 %", gate: "100 % met for 1 d", opensAt: "", hours: "", due: "" },
    { name: "Rest", pick: "everyone else", gate: "", opensAt: "", hours: "", due: "" },
  ]);
  const [revision, setRevision] = useState(plan?.revision);
  const [theirs, setTheirs] = useState<Schemas["WavePlanInfo"] | null>(null);
  const draft = JSON.stringify([name, waves.map(({ id: _, ...wave }) => wave)]);
  const [first] = useState(draft);
  const save = useMutation({
    mutationFn: () => request("put", "/api/v1/wave-plans/{slug}", { path: { slug }, body: { name: name || null, waves: waves.map((wave) => ({ name: wave.name, pick: wave.pick, gate: wave.gate || null, hours: wave.hours || null, deadline: wave.due || null })) }, revision }),
    onSuccess: close,
    onError: async (error) => setTheirs(plan && isStale(error) ? await request("get", "/api/v1/wave-plans/{slug}", { path: { slug } }) : null),
  });
  return (
    <form className="form sheet pad" onSubmit={(event) => { event.preventDefault(); save.mutate(); }}>
      <Leaving isDirty={draft !== first && !save.isSuccess} what="this wave plan" />
      <div className="pair">
        <TextInput label="Name" value={name} onChange={(event) => setName(event.currentTarget.value)} />
        <TextInput label="Short name" value={slug} disabled={plan !== null} required onChange={(event) => setSlug(event.currentTarget.value)} />
      </div>
      <WavesEditor waves={waves} onChange={setWaves} groups={[]} hasHours />
      {theirs && (
        <Meanwhile
          what="this wave plan"
          says={`It is now: ${theirs.waves.map((wave) => `${wave.name}: ${wave.pick}${wave.gate ? `; ${wave.gate}` : ""}${wave.hours ? `; opens ${wave.hours}` : ""}${wave.deadline ? `; due ${wave.deadline}` : ""}`).join(" / ")}.`}
          takeTheirs={() => { setName(theirs.name); setWaves(wavesOf(theirs)); setRevision(theirs.revision); setTheirs(null); save.reset(); }}
          keepMine={() => { setRevision(theirs.revision); setTheirs(null); save.reset(); }}
        />
      )}
      {save.error && !theirs && <ErrorNote error={save.error} />}
      <div className="acts">
        <Button type="submit" variant="filled" loading={save.isPending} disabled={hasTwins(waves)}>{plan ? "Change the wave plan" : "Make the wave plan"}</Button>
        <Button onClick={close}>Cancel</Button>
      </div>
    </form>
  );
}
