import { keys } from "@/api/keys";
import { Events } from "@/parts/Events";

/** What happened to a deployment, newest first: all of it, or only what was decided. */
export function EventsView({ deployment, topic }: { deployment: string; topic: "any" | "journal" }) {
  return <Events queryKey={keys.deployment(deployment, "events", topic)} query={{ deployment, topic }} empty={topic === "journal" ? "Nothing was decided yet" : "Nothing happened yet"} />;
}
