import { createRootRoute, createRoute, createRouter } from "@tanstack/react-router";
import { keepMoment } from "@/api/past";
import { Loading } from "@/parts/Page";
import { Fault, NotThere } from "./Faults";
import { page } from "./pages";
import { Shell } from "./Shell";

/** What an address may carry after its `?`: texts only, and empty ones are left out. */
function words<K extends string>(...keys: K[]) {
  return (search: Record<string, unknown>): Partial<Record<K, string>> =>
    Object.fromEntries(keys.filter((key) => search[key] !== undefined && search[key] !== "").map((key) => [key, String(search[key])])) as Partial<Record<K, string>>;
}

const root = createRootRoute({ component: Shell, notFoundComponent: NotThere, errorComponent: Fault });
/** Pages that can be shown as they were keep the moment among each other. */
const past = { middlewares: [keepMoment] };
const at = <P extends string>(path: P) => ({ getParentRoute: () => root, path });

const today = createRoute({ ...at("/"), component: page(() => import("@/features/today/TodayPage")) });
const deployments = createRoute({ ...at("/deployments"), component: page(() => import("@/features/deployments/DeploymentsPage")), validateSearch: words("all", "words") });
const compose = createRoute({ ...at("/deployments/new"), component: page(() => import("@/features/deployments/ComposePage")), validateSearch: words("package", "wish", "groups") });
const deployment = createRoute({ ...at("/deployments/$deployment"), component: page(() => import("@/features/deployments/DeploymentPage")), validateSearch: words("view", "state", "wave", "filter", "sort", "device", "ask", "asOf"), search: past });
const apps = createRoute({ ...at("/apps"), component: page(() => import("@/features/apps/AppsPage")), validateSearch: words("words") });
const app = createRoute({ ...at("/apps/$app"), component: page(() => import("@/features/apps/AppPage")), validateSearch: words("days") });
const bench = createRoute({ ...at("/bench"), component: page(() => import("@/features/bench/BenchPage")) });
const draft = createRoute({ ...at("/bench/$draft"), component: page(() => import("@/features/bench/DraftPage")) });
const pack = createRoute({ ...at("/packages/$digest"), component: page(() => import("@/features/apps/PackagePage")) });
const devices = createRoute({ ...at("/devices"), component: page(() => import("@/features/devices/DevicesPage")), validateSearch: words("filter", "group", "sort", "columns", "days") });
const device = createRoute({ ...at("/devices/$device"), component: page(() => import("@/features/devices/DevicePage")), validateSearch: words("view", "asOf"), search: past });
const groups = createRoute({ ...at("/groups"), component: page(() => import("@/features/groups/GroupsPage")) });
const newGroup = createRoute({ ...at("/groups/new"), component: page(() => import("@/features/groups/GroupPage"), "NewGroupPage") });
const group = createRoute({ ...at("/groups/$group"), component: page(() => import("@/features/groups/GroupPage")), validateSearch: words("view", "filter", "sort", "asOf"), search: past });
const compliance = createRoute({ ...at("/compliance"), component: page(() => import("@/features/compliance/CompliancePage")), validateSearch: words("by", "only", "deployment", "app", "group", "days", "asOf"), search: past });
const calendar = createRoute({ ...at("/calendar"), component: page(() => import("@/features/calendar/CalendarPage")) });
const journal = createRoute({ ...at("/journal"), component: page(() => import("@/features/journal/JournalPage")), validateSearch: words("topic", "deployment", "device", "group", "app", "by", "what", "words", "from", "to") });
const settings = createRoute({ ...at("/settings"), component: page(() => import("@/features/settings/SettingsPage")), validateSearch: words("view") });

export const router = createRouter({
  routeTree: root.addChildren([today, deployments, compose, deployment, apps, app, bench, draft, pack, devices, device, groups, newGroup, group, compliance, calendar, journal, settings]),
  defaultPreload: "intent",
  defaultPreloadStaleTime: 0,
  defaultPendingMs: 500,
  defaultPendingComponent: () => Loading({ what: "the page" }),
  scrollRestoration: true,
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
