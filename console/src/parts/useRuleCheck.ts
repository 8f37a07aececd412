import { useDebouncedValue } from "@mantine/hooks";
import { useQuery } from "@tanstack/react-query";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import type { RuleFinding } from "./RuleField";
import type { FactHelp } from "./ruleWords";

const NONE: readonly RuleFinding[] = [];
const NO_FACTS: readonly FactHelp[] = [];

/** What is wrong with a rule as it stands, asked for once the keys rest. Of an empty one nothing. */
export function useRuleCheck(rule: string, rest: number): { findings: readonly RuleFinding[]; isChecked: boolean } {
  const [asked] = useDebouncedValue(rule, rest);
  const check = useQuery({
    queryKey: keys.rule(asked, "check"),
    queryFn: ({ signal }) => request("post", "/api/v1/rules/check", { body: { rule: asked }, signal }),
    enabled: asked.trim() !== "",
    staleTime: 60_000,
  });
  const isCurrent = asked === rule;
  return { findings: isCurrent && rule.trim() !== "" ? (check.data?.findings ?? NONE) : NONE, isChecked: isCurrent && (rule.trim() === "" || check.data !== undefined) };
}

/** The facts that a rule may speak of. */
export function useFacts(): readonly FactHelp[] {
  return useQuery({ queryKey: keys.facts, queryFn: ({ signal }) => request("get", "/api/v1/facts", { signal }), staleTime: 60_000 }).data ?? NO_FACTS;
}
