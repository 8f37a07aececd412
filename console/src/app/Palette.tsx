import { Spotlight, type SpotlightActionData, type SpotlightActionGroupData } from "@mantine/spotlight";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useDeferredValue, useState } from "react";
import { keys } from "@/api/keys";
import { request } from "@/api/request";

/** Finds anything by a few letters, and goes there; by keyboard alone. */
export function Palette({ parts }: { parts: readonly { to: string; name: string }[] }) {
  const go = useNavigate();
  const [typed, setTyped] = useState("");
  const words = useDeferredValue(typed.trim().toLowerCase());
  const isAsked = words.length > 0;
  const devices = useQuery({
    queryKey: keys.devicesFound(words),
    queryFn: ({ signal }) => request("get", "/api/v1/devices", { query: { filter: words.replace(/[<>=()"]/g, " "), limit: 8 }, signal }),
    enabled: words.length > 1,
    placeholderData: keepPreviousData,
  });
  const deployments = useQuery({ queryKey: keys.deployments(true), queryFn: ({ signal }) => request("get", "/api/v1/deployments", { query: { all: true }, signal }), enabled: isAsked });
  const apps = useQuery({ queryKey: keys.apps, queryFn: ({ signal }) => request("get", "/api/v1/apps", { signal }), enabled: isAsked });
  const groups = useQuery({ queryKey: keys.groups, queryFn: ({ signal }) => request("get", "/api/v1/groups", { signal }), enabled: isAsked });

  const action = (kind: string, id: string, label: string, description: string, to: string): SpotlightActionData => ({ id: `${kind} ${id}`, label, description, onClick: () => void go({ to }) });
  const fits = (...texts: (string | null | undefined)[]) => words.split(/\s+/).every((word) => texts.some((text) => text?.toLowerCase().includes(word)));
  const found: SpotlightActionGroupData[] = [
    {
      group: "Go to",
      actions: [
        ...parts.filter((part) => fits(part.name)).map((part) => action("part", part.to, part.name, "", part.to)),
        ...(fits("start a deployment", "new", "roll out") ? [action("do", "new", "Start a deployment", "Choose package, groups and waves", "/deployments/new")] : []),
        ...(fits("new group") ? [action("do", "group", "Make a group", "By a rule, or by hand", "/groups/new")] : []),
      ],
    },
    { group: "Deployments", actions: isAsked ? (deployments.data ?? []).filter((each) => fits(each.name, each.app)).slice(0, 8).map((each) => action("deployment", each.id, each.name, each.sentence, `/deployments/${each.id}`)) : [] },
    { group: "Apps", actions: isAsked ? (apps.data ?? []).filter((each) => fits(each.name, each.app)).slice(0, 6).map((each) => action("app", each.app, each.name, each.publisher, `/apps/${each.app}`)) : [] },
    { group: "Groups", actions: isAsked ? (groups.data ?? []).filter((each) => fits(each.name, each.slug)).slice(0, 6).map((each) => action("group", each.slug, each.name, `${each.devices} devices`, `/groups/${each.slug}`)) : [] },
    { group: "Devices", actions: words.length > 1 ? (devices.data?.items ?? []).map((each) => action("device", each.id, each.name, [each.kind, each.model, each.site].filter(Boolean).join(", "), `/devices/${each.name}`)) : [] },
  ].filter((group) => group.actions.length > 0);

  return (
    <Spotlight
      actions={found}
      query={typed}
      onQueryChange={setTyped}
      filter={(_, all) => all}
      nothingFound={devices.isFetching || deployments.isFetching ? "Looking …" : `Nothing is called “${typed}”.`}
      overlayProps={{ backgroundOpacity: 0.45, blur: 0 }}
      yOffset="10vh"
      centered={false}
      shortcut={["mod + K"]}
      scrollable
      maxHeight={460}
      highlightQuery={false}
      searchProps={{ placeholder: "Find a device, app, deployment, group or page", "aria-label": "What to find" }}
    />
  );
}
