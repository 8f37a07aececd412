import { notifications } from "@mantine/notifications";
import { useMutation } from "@tanstack/react-query";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "./Act";
import { devices } from "./format";

/** Asks the devices of a group, or those of a deployment that are not done, to check in now. */
export function CheckInNow({ group, deployment }: { group?: string; deployment?: string }) {
  const { forbidden } = useSession();
  const ask = useMutation({
    mutationFn: () =>
      deployment !== undefined ? request("post", "/api/v1/deployments/{deployment}/check-in", { path: { deployment } }) : request("post", "/api/v1/groups/{slug}/check-in", { path: { slug: group! } }),
    onSuccess: (called) => {
      const later = called.asked - called.listening;
      notifications.show({ message: called.asked === 0 ? "There is no device to ask." : `${devices(called.listening)} ${called.listening === 1 ? "listens and comes" : "listen and come"} now${later > 0 ? `; ${devices(later)} ${later === 1 ? "does not listen and comes" : "do not listen and come"} at the usual time` : ""}.` });
    },
    onError: (error) => notifications.show({ title: "Not asked", message: error.message, color: "clay", autoClose: 12_000 }),
  });
  return (
    <Act loading={ask.isPending} forbidden={forbidden(deployment !== undefined ? "POST /api/v1/deployments/{deployment}/check-in" : "POST /api/v1/groups/{slug}/check-in")} onClick={() => ask.mutate()}>
      Check in now
    </Act>
  );
}
