import { Button, TextInput } from "@mantine/core";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { request, type Schemas } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { type WaveDraft, WavesEditor } from "@/parts/WavesEditor";

/** Makes a wave plan (null), or changes one. */
export function WavePlanForm({ plan, close }: { plan: Schemas["WavePlanInfo"] | null; close: () => void }) {
  const [slug, setSlug] = useState(plan?.slug ?? "");
  const [name, setName] = useState(plan?.name ?? "");
  const [waves, setWaves] = useState<WaveDraft[]>(plan?.waves.map((wave) => ({ name: wave.name, pick: wave.pick, gate: wave.gate ?? "", opensAt: "" })) ?? [
    { name: "Pilots", pick: "5 %", gate: "100 % met for 1 d", opensAt: "" },
    { name: "Rest", pick: "everyone else", gate: "", opensAt: "" },
  ]);
  const save = useMutation({
    mutationFn: () => request("put", "/api/v1/wave-plans/{slug}", { path: { slug }, body: { name: name || null, waves: waves.map((wave) => ({ name: wave.name, pick: wave.pick, gate: wave.gate || null })) }, revision: plan?.revision }),
    onSuccess: close,
  });
  return (
    <form className="form sheet pad" onSubmit={(event) => { event.preventDefault(); save.mutate(); }}>
      <div className="pair">
        <TextInput label="Name" value={name} onChange={(event) => setName(event.currentTarget.value)} />
        <TextInput label="Short name" value={slug} disabled={plan !== null} required onChange={(event) => setSlug(event.currentTarget.value)} />
      </div>
      <WavesEditor waves={waves} onChange={setWaves} groups={[]} hasTimes={false} />
      {save.error && <ErrorNote error={save.error} />}
      <div className="acts">
        <Button type="submit" variant="filled" loading={save.isPending}>{plan ? "Change the wave plan" : "Make the wave plan"}</Button>
        <Button onClick={close}>Cancel</Button>
      </div>
    </form>
  );
}
