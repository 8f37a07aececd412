/** A fact that a rule may speak of, as whoever writes one needs it. */
export interface FactHelp {
  name: string;
  type: string;
  meaning: string;
  values: readonly { name: string; count: number }[];
}

/** What may stand next. */
export interface Suggestion {
  label: string;
  detail?: string;
  info?: string;
  type?: string;
}

const JOINS = ["and", "or"];
const COMPARED: Record<string, string[]> = {
  text: ["is", "is not", "in (", "like", "is known"],
  set: ["is known"],
  "yes-no": ["is known"],
  version: ["is", "is not", "<", "<=", ">", ">=", "is present", "is absent"],
};
const ORDERED = ["is", "is not", "<", "<=", ">", ">=", "in (", "is known"];

/** What may stand at the end of a text: the beginning of the word that is typed, and what completes it. */
export function suggestions(before: string, facts: readonly FactHelp[]): { typed: string; isValue: boolean; options: Suggestion[] } {
  // A quote is open only where their number is odd; what follows a closed one is a new word.
  const isInText = (before.match(/"/g)?.length ?? 0) % 2 === 1;
  const typed = before.match(isInText ? /"[^"]*$/ : /[\w.-]*$/)?.[0] ?? "";
  const earlier = before.slice(0, before.length - typed.length).trimEnd();
  const compared = earlier.match(/(app\s+"[^"]*"|[a-z][\w.]*)\s*(?:is not|is|like|<=|>=|<|>|!=|in\s*\([^)]*|not like)$/i);
  if (compared && !/^(and|or|not|is|in)$/.test(compared[1]!)) {
    const fact = find(compared[1]!, facts);
    return { typed, isValue: true, options: (fact?.values ?? []).map((value) => ({ label: value.name, detail: `${value.count}` })) };
  }
  const subject = earlier.match(/(app\s+"[^"]*"|[a-z][\w.]*)$/i)?.[1];
  const fact = subject && !/^(and|or|not)$/.test(subject) ? find(subject, facts) : undefined;
  if (fact) {
    return { typed, isValue: false, options: [...(COMPARED[fact.type] ?? ORDERED), ...(fact.type === "yes-no" ? JOINS : [])].map((label) => ({ label, type: "keyword" })) };
  }
  if (earlier !== "" && !/(?:^|[\s(])(and|or|not)$|\($/.test(earlier)) {
    return { typed, isValue: false, options: JOINS.map((label) => ({ label, type: "keyword" })) };
  }
  return { typed, isValue: false, options: [...facts.map((each) => ({ label: each.name, detail: each.type, info: each.meaning })), { label: "not", type: "keyword" }] };
}

function find(name: string, facts: readonly FactHelp[]): FactHelp | undefined {
  return facts.find((fact) => fact.name === name.replace(/\s+/g, " "));
}
