import { Button, Select, Textarea, TextInput } from "@mantine/core";
import { useState } from "react";
import { type Place, PROOFS, readForm, type VariantForm, writeProof, writeText, writeWords } from "./manifest";

interface FormProps {
  text: string;
  change: (text: string) => void;
}

/** The manifest as a form: what is typed here goes into the text, and what is typed there stands here. */
export function FormView({ text, change }: FormProps) {
  const form = readForm(text);
  if (!form) return <section><h2>Form</h2><p className="note">The text beside this cannot be read as a manifest at the moment; mend it there, and the form comes back.</p></section>;
  const set = (place: Place) => (event: { currentTarget: { value: string } }) => change(writeText(text, place, event.currentTarget.value));
  return (
    <section>
      <h2>Form</h2>
      <form className="form sheet pad" onSubmit={(event) => event.preventDefault()}>
        <div className="pair">
          <TextInput label="Name" value={form.name} onChange={set(["name"])} />
          <TextInput label="Version" value={form.version} onChange={set(["version"])} />
          <TextInput label="App" description="The same for every version" value={form.app} onChange={set(["app"])} />
          <TextInput label="Publisher" description="Who makes it" value={form.publisher} onChange={set(["publisher"])} />
        </div>
        {form.variants.map((variant, at) => (
          <VariantFields key={at} variant={variant} at={at} text={text} change={change} />
        ))}
        {form.settings.length > 0 && (
          <fieldset className="form">
            <legend>Settings a deployment may choose</legend>
            {form.settings.map((setting, at) => (
              <TextInput key={at} label={setting.name} description={setting.says} placeholder="no value: left out" value={setting.value} onChange={set(["settings", at, "default"])} />
            ))}
          </fieldset>
        )}
      </form>
    </section>
  );
}

function VariantFields({ variant, at, text, change }: FormProps & { variant: VariantForm; at: number }) {
  const place = (...rest: Place) => ["variants", at, ...rest];
  const set = (where: Place) => (event: { currentTarget: { value: string } }) => change(writeText(text, where, event.currentTarget.value));
  const run = (step: string) => (event: { currentTarget: { value: string } }) => change(writeWords(text, place(step, "run"), event.currentTarget.value));
  return (
    <fieldset className="form">
      <legend>Variant {variant.name}</legend>
      <Textarea label="Fits" description="The devices it is meant for" autosize value={variant.fits} onChange={set(place("fits"))} classNames={{ input: "mono" }} />
      <Textarea label="Requires" description="What must hold before it may be installed" autosize value={variant.requires} onChange={set(place("requires"))} classNames={{ input: "mono" }} />
      <Line label="Install" value={variant.install} onChange={run("install")} />
      <Line label="Remove" value={variant.remove} onChange={run("remove")} />
      <Line label="Launch" description="How a trial starts it, to see that it runs" value={variant.launch} onChange={run("launch")} />
      {[...variant.proofs, ...(variant.proofs.length === 0 ? [{ key: "", subject: "" }] : [])].map((proof, number) => (
        <div className="proof-line" key={number}>
          <Select label={number === 0 ? "Proof" : undefined} aria-label="Kind of proof" data={[...PROOFS]} value={proof.key || null} placeholder="choose" onChange={(key) => key && change(writeProof(text, at, number, key, proof.subject))} />
          <TextInput label={number === 0 ? "that it is there" : undefined} aria-label="What is looked for" classNames={{ input: "mono" }} value={proof.subject} disabled={proof.key === "" || proof.key === "receipt"} onChange={(event) => change(writeProof(text, at, number, proof.key, event.currentTarget.value))} />
        </div>
      ))}
      {variant.proofs.length > 0 && <div><Button size="compact-sm" variant="subtle" onClick={() => change(writeProof(text, at, variant.proofs.length, "file", "opt/"))}>Another proof</Button></div>}
    </fieldset>
  );
}

interface LineProps {
  label: string;
  description?: string;
  value: string;
  onChange: (event: { currentTarget: { value: string } }) => void;
}

/** A command. While it is typed it stands as it is typed, so that a blank or an open quote is not taken away from under the keys. */
function Line({ label, description, value, onChange }: LineProps) {
  const [typed, setTyped] = useState<string | null>(null);
  return (
    <Textarea
      label={label}
      description={description}
      autosize
      classNames={{ input: "mono" }}
      value={typed ?? value}
      onChange={(event) => {
        setTyped(event.currentTarget.value);
        onChange(event);
      }}
      onBlur={() => setTyped(null)}
    />
  );
}
