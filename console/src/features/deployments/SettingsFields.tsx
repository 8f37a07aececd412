import { PasswordInput, Select, TextInput } from "@mantine/core";
import type { Schemas } from "@/api/request";

interface SettingsProps {
  settings: readonly Schemas["SettingInfo"][];
  presets: readonly Schemas["PresetInfo"][];
  preset: string;
  values: Readonly<Record<string, string>>;
  change: (change: { preset?: string; settings?: Record<string, string> }) => void;
}

/** What the package lets a deployment choose. What is left open is the preset's, or the default. */
export function SettingsFields({ settings, presets, preset, values, change }: SettingsProps) {
  if (settings.length === 0) return null;
  const ofPreset = new Map((presets.find((each) => each.name === preset)?.values ?? []).map((text) => [text.slice(0, text.indexOf("=")).trim(), text.slice(text.indexOf("=") + 1).trim()]));
  const set = (name: string, value: string) => change({ settings: { ...values, [name]: value } });
  return (
    <details open>
      <summary>Settings of the package</summary>
      <div className="form" style={{ marginTop: 8 }}>
        {presets.length > 0 && (
          <Select label="Preset" description={presets.find((each) => each.name === preset)?.values.join(", ")} placeholder="none" clearable data={presets.map((each) => each.name)} value={preset || null} onChange={(value) => change({ preset: value ?? "" })} />
        )}
        <div className="pair">
          {settings.map((setting) => <Field key={setting.name} setting={setting} value={values[setting.name] ?? ""} ofPreset={ofPreset.get(setting.name)} set={(value) => set(setting.name, value)} />)}
        </div>
      </div>
    </details>
  );
}

function Field({ setting, value, ofPreset, set }: { setting: Schemas["SettingInfo"]; value: string; ofPreset: string | undefined; set: (value: string) => void }) {
  const common = { label: setting.name, description: setting.says || undefined, placeholder: ofPreset !== undefined ? `${ofPreset} (the preset's)` : (setting.default ?? "no value: left out") };
  const choices = setting.type === "yes-no" ? ["yes", "no"] : setting.choices;
  if (choices.length > 0) return <Select {...common} clearable data={[...choices]} value={value || null} onChange={(next) => set(next ?? "")} />;
  if (setting.type === "secret") return <PasswordInput {...common} autoComplete="off" placeholder="kept out of logs and lists" value={value} onChange={(event) => set(event.currentTarget.value)} />;
  return <TextInput {...common} inputMode={setting.type === "number" ? "numeric" : undefined} value={value} onChange={(event) => set(event.currentTarget.value)} />;
}
