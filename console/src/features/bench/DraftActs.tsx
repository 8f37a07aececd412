import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { notifications } from "@mantine/notifications";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Ask, type Question } from "@/parts/Ask";
import { ButtonLink } from "@/parts/ButtonLink";
import { ErrorNote } from "@/parts/ErrorNote";
import { cannotSign, digestOf, sign } from "./signing";

/** What can be done with a draft: try it, build it, clear it away. */
export function DraftActs({ found, isKept, changed }: { found: Schemas["BenchDraft"]; isKept: boolean; changed: () => void }) {
  const { person, forbidden } = useSession();
  const go = useNavigate();
  const [question, setQuestion] = useState<Question | null>(null);
  const { draft, check, trial, noTrials } = found;
  const path = { draft: draft.id };
  const wrong = !isKept ? "It is being looked at." : !check?.document ? "It has errors; mend them first." : null;
  const tries = useMutation({ mutationFn: () => request("post", "/api/v1/bench/{draft}/trial", { path }), onSuccess: changed });
  const builds = useMutation({
    mutationFn: async () => {
      const digest = await digestOf(check!.document!);
      const signature = await sign(person.account, digest, check!.app!, check!.version!);
      return request("post", "/api/v1/bench/{draft}/build", { path, body: { document: digest, signature } });
    },
    onSuccess: (built) => {
      notifications.show({ message: built.isNew ? `${built.name} ${built.version} is built and signed by ${built.builtBy}.` : `${built.name} ${built.version} with this very content was built before.` });
      changed();
    },
  });
  const clear: Question = {
    title: `Clear ${draft.name} away`,
    says: <p>{draft.files === 1 ? "Its file is" : `Its ${draft.files} files are`} thrown away, and so is the manifest. {draft.package ? "The package that was built of it stays." : "It was not built; nothing of it stays."}</p>,
    act: "Clear it away",
    isDangerous: !draft.package,
    run: async () => {
      await request("delete", "/api/v1/bench/{draft}", { path });
      changed();
      await go({ to: "/bench" });
      return `${draft.name} is cleared away.`;
    },
  };
  return (
    <>
      {draft.package && <ButtonLink to="/packages/$digest" params={{ digest: draft.package }} variant="filled">To the package</ButtonLink>}
      <Act
        forbidden={forbidden("POST /api/v1/bench/{draft}/trial") ?? noTrials ?? wrong ?? (trial?.isRunning ? "A trial is running." : null)}
        loading={tries.isPending}
        onClick={() => tries.mutate()}
      >
        {trial && !trial.isRunning ? "Try again" : "Try it"}
      </Act>
      <Act variant={draft.package ? "default" : "filled"} forbidden={forbidden("POST /api/v1/bench/{draft}/build") ?? cannotSign() ?? wrong} loading={builds.isPending} onClick={() => builds.mutate()}>
        Build and sign
      </Act>
      <Act onClick={() => setQuestion(clear)}>Clear away…</Act>
      <Ask question={question} close={() => setQuestion(null)} />
      {(tries.error ?? builds.error) && <ErrorNote error={tries.error ?? builds.error} />}
    </>
  );
}
