import { useNow } from "@/api/clock";
import { usePast } from "@/api/past";
import { fullMoment, moment, relative } from "./format";

interface MomentProps {
  at: string | null | undefined;
  /** Which of the two a tight place shows; the other is shown to who points at it. */
  only?: "relative" | "moment";
  otherwise?: string;
}

/** A moment, both ways: how far away, and when. On a page that shows how it was, seen from there. */
export function Moment({ at, only, otherwise = "–" }: MomentProps) {
  const clock = useNow();
  const now = usePast() ?? clock;
  if (!at) return <span className="quiet">{otherwise}</span>;
  const time = Date.parse(at);
  const parts = [only !== "moment" && relative(time, now), only !== "relative" && moment(time, now)].filter(Boolean);
  return (
    <time dateTime={at} title={`${relative(time, now)}: ${fullMoment(time)}`}>
      {parts.map((part, at) => (
        <span key={at}>{at > 0 && " · "}<span className="whole">{part}</span></span>
      ))}
    </time>
  );
}
