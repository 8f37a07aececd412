import { Checkbox, SegmentedControl, TextInput } from "@mantine/core";
import { notifications } from "@mantine/notifications";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { keys } from "@/api/keys";
import { isStale, request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Ask, type Question } from "@/parts/Ask";
import { Command } from "@/parts/Command";
import { ErrorNote } from "@/parts/ErrorNote";
import { Leaving } from "@/parts/Leaving";
import { Meanwhile } from "@/parts/Meanwhile";
import { count, devices, quoted } from "@/parts/format";
import RuleField, { type RuleFinding } from "@/parts/RuleField";
import { useFacts, useRuleCheck } from "@/parts/useRuleCheck";
import { RulePreview } from "./RulePreview";

type Group = Schemas["GroupInfo"];

/** Edits a group, or makes one (null): who would be in it is shown as one types. */
export function GroupEditor({ group }: { group: Group | null }) {
  const { forbidden } = useSession();
  const go = useNavigate();
  const queries = useQueryClient();
  const [name, setName] = useState(group?.name ?? "");
  const [slug, setSlug] = useState(group?.slug ?? "");
  const [kind, setKind] = useState(group && !group.rule ? "listed" : "rule");
  const [rule, setRule] = useState(group?.rule ?? "");
  const [isForTesting, setIsForTesting] = useState(group?.isForTesting ?? false);
  // What is changed is what was read when editing began: a change by somebody else meanwhile must not be written over.
  const [revision, setRevision] = useState(group?.revision);
  const [error, setError] = useState<unknown>(null);
  const [question, setQuestion] = useState<Question | null>(null);
  const facts = useFacts();
  const { findings, isChecked } = useRuleCheck(kind === "rule" ? rule : "", 250);
  const isWrong = findings.length > 0;
  const [good, setGood] = useState(rule);
  useEffect(() => {
    if (isChecked && !isWrong) setGood(rule);
  }, [isChecked, isWrong, rule]);
  const preview = useQuery({ queryKey: keys.rule(good, "preview"), queryFn: ({ signal }) => request("post", "/api/v1/groups/preview", { body: { rule: good }, signal }), enabled: kind === "rule" && good.trim() !== "", retry: false, placeholderData: (before) => before });
  const short = slug || name.toLowerCase().replace(/[^\p{L}\p{N}]+/gu, "-").replace(/^-|-$/g, "");
  const isChanged = !group || name !== group.name || isForTesting !== group.isForTesting || (group.rule ?? "") !== (kind === "rule" ? rule : "");
  const isComplete = short !== "" && (kind === "listed" || (rule.trim() !== "" && isChecked && !isWrong));
  const why = forbidden(group ? "PUT /api/v1/groups/{slug}" : "POST /api/v1/groups") ?? (!isComplete ? (isWrong ? "The rule has an error." : kind === "rule" && rule.trim() === "" ? "A rule is missing." : "A name is missing.") : !isChanged ? "Nothing is changed." : null);
  const body = { slug: short, name: name || short, rule: kind === "rule" ? rule : null, isForTesting };

  async function save() {
    setError(null);
    try {
      const saved = group ? await request("put", "/api/v1/groups/{slug}", { path: { slug: group.slug }, body, revision }) : await request("post", "/api/v1/groups", { body });
      setRevision(saved.revision);
      notifications.show({ message: `${saved.name} holds ${devices(saved.devices)}.` });
      if (!group) await go({ to: "/groups/$group", params: { group: saved.slug }, ignoreBlocker: true });
    } catch (refused) {
      setError(refused);
    } finally {
      void queries.invalidateQueries({ queryKey: keys.groups });
    }
  }

  /** Asks first where the mark for testing would open something. */
  async function askAndSave() {
    const opens = isForTesting && (!group?.isForTesting || (group.rule ?? "") !== (body.rule ?? "")) ? await request("post", "/api/v1/groups/testing", { body: { group: group?.slug ?? null, rule: body.rule, isForTesting } }).catch(() => null) : null;
    if (!opens || opens.devices === 0) return save();
    setQuestion({ title: `For testing: ${body.name}`, says: <p>{opens.says}</p>, act: `Mark for testing, with ${devices(opens.devices)}`, isDangerous: true, command: () => command, run: async () => { await save(); return null; } });
  }

  const command = group
    ? `bandejo group change ${group.slug}${kind === "rule" ? ` --rule ${quoted(rule)}` : ` --name ${quoted(name)}`}${isForTesting === group.isForTesting ? "" : isForTesting ? " --testing" : " --not-for-testing"}`
    : `bandejo group new ${short || "NAME"}${kind === "rule" ? ` --rule ${quoted(rule || "…")}` : ""}${isForTesting ? " --testing" : ""}`;

  return (
    <div className="section columns group-editor">
      <Leaving isDirty={isChanged && (group !== null || name !== "" || rule !== "")} what={group ? `the group ${group.name}` : "this group"} />
      <form className="form" onSubmit={(event) => event.preventDefault()}>
        <div className="pair">
          <TextInput label="Name" value={name} onChange={(event) => setName(event.currentTarget.value)} />
          <TextInput label="Short name" value={group ? group.slug : slug} placeholder={short} disabled={group !== null} onChange={(event) => setSlug(event.currentTarget.value)} />
        </div>
        {!group && <SegmentedControl aria-label="How it is made" value={kind} onChange={setKind} data={[{ value: "rule", label: "By a rule" }, { value: "listed", label: "Listed by hand" }]} />}
        {kind === "rule" && (
          <div>
            <div className="label">Rule</div>
            <RuleField label="Rule" value={rule} onChange={setRule} facts={facts} findings={findings} isTall placeholder='kind is "kiosk" and disk.free < 2 GiB' />
            {isWrong && <RuleErrors rule={rule} findings={findings} />}
          </div>
        )}
        <Checkbox label="For testing: packages that are not released may reach it" checked={isForTesting} onChange={(event) => setIsForTesting(event.currentTarget.checked)} />
        {group && revision !== group.revision && (
          <Meanwhile
            what="this group"
            says={<>It is called {group.name} now{group.rule && <>, and its rule is <code>{group.rule}</code></>}.</>}
            takeTheirs={() => { setName(group.name); setRule(group.rule ?? ""); setIsForTesting(group.isForTesting); setRevision(group.revision); setError(null); }}
            keepMine={() => { setRevision(group.revision); setError(null); }}
          />
        )}
        {error !== null && !(isStale(error) && group && revision !== group.revision) && <ErrorNote error={error} />}
        <div className="acts">
          <Act variant="filled" forbidden={why} onClick={() => void askAndSave()}>
            {group ? `Save${kind === "rule" && preview.data && good === rule ? `: ${devices(preview.data.devices)}` : ""}` : `Make the group${kind === "rule" && preview.data && good === rule ? ` with ${devices(preview.data.devices)}` : ""}`}
          </Act>
          {group && (
            <Act
              forbidden={forbidden("DELETE /api/v1/groups/{slug}")}
              onClick={() =>
                setQuestion({
                  title: `Remove the group ${group.name}`,
                  says: <p>Its {devices(group.devices)} stay where they are; only the group goes. A group that a deployment uses cannot be removed.</p>,
                  act: `Remove the group of ${count(group.devices)}`,
                  isDangerous: true,
                  command: () => `bandejo group remove ${group.slug}`,
                  run: async () => {
                    await request("delete", "/api/v1/groups/{slug}", { path: { slug: group.slug }, revision: group.revision });
                    void queries.invalidateQueries({ queryKey: keys.groups });
                    await go({ to: "/groups", ignoreBlocker: true });
                    return `The group ${group.name} is gone.`;
                  },
                })
              }
            >
              Remove…
            </Act>
          )}
        </div>
        <Command text={command} />
      </form>
      {kind === "rule" && <RulePreview preview={preview.data} isOld={good !== rule} />}
      <Ask question={question} close={() => setQuestion(null)} />
    </div>
  );
}

/** Each error with a caret under its place, as the command line shows it. */
function RuleErrors({ rule, findings }: { rule: string; findings: readonly RuleFinding[] }) {
  const lines = rule.split("\n");
  return (
    <div role="alert" className="rule-errors">
      {findings.map((finding) => (
        <div key={`${finding.line} ${finding.column} ${finding.message}`}>
          <pre>{`${lines[finding.line - 1] ?? ""}\n${" ".repeat(Math.max(0, finding.column - 1))}${"^".repeat(Math.max(1, finding.length))}`}</pre>
          <p className="field-error">{finding.message}</p>
        </div>
      ))}
    </div>
  );
}
