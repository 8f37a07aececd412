import { Menu, useMantineColorScheme } from "@mantine/core";
import { openSpotlight } from "@mantine/spotlight";
import { useQuery } from "@tanstack/react-query";
import { Link, Outlet, useLocation } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { useDemoSpeed, useNow } from "@/api/clock";
import { keys } from "@/api/keys";
import { useAsOf } from "@/api/past";
import { request } from "@/api/request";
import { moment } from "@/parts/format";
import { AsOfBar, Choose, useCanBePast } from "./AsOfBar";
import { Behind } from "./Behind";
import { Palette } from "./Palette";
import { fetchPages } from "./pages";
import { useSession } from "./session";

const PARTS = [
  { to: "/", name: "Today" },
  { to: "/apps", name: "Apps" },
  { to: "/devices", name: "Devices" },
  { to: "/groups", name: "Groups" },
  { to: "/deployments", name: "Deployments" },
  { to: "/compliance", name: "Compliance" },
  { to: "/calendar", name: "Calendar" },
  { to: "/journal", name: "Journal" },
  { to: "/settings", name: "Settings" },
] as const;

/** The frame of every page: where one can go, what is looked for, who is here. */
export function Shell() {
  const [isOpen, setIsOpen] = useState(false);
  const { pathname } = useLocation();
  const today = useQuery({ queryKey: keys.today, queryFn: ({ signal }) => request("get", "/api/v1/today", { signal }) });
  const canBePast = useCanBePast();
  const isPast = useAsOf() !== undefined;
  const needs = today.data?.needs.length ?? 0;
  useEffect(() => setIsOpen(false), [pathname]);
  useEffect(fetchPages, []);

  return (
    <div className="frame">
      <a className="skip" href="#main">
        To the page
      </a>
      <nav className="side" data-open={isOpen || undefined} aria-label="Parts of Bandejo" id="parts">
        <Link to="/" className="mark">
          <img src="/mark.svg" alt="" width="26" height="26" /> Bandejo
        </Link>
        {PARTS.map((part) => (
          <Link key={part.to} to={part.to} className="side-link" activeOptions={{ exact: part.to === "/", includeSearch: false }}>
            {part.name}
            {part.to === "/" && needs > 0 && (
              <span className="side-count">
                {needs}
                <span className="visually-hidden"> need somebody</span>
              </span>
            )}
          </Link>
        ))}
      </nav>
      <div>
        <section className="head" aria-label="Search, clock and account">
          <button type="button" className="menu-button" aria-expanded={isOpen} aria-controls="parts" onClick={() => setIsOpen(!isOpen)}>
            Menu
          </button>
          <button type="button" className="find" onClick={openSpotlight}>
            <span>Find a device, app, deployment</span> <kbd>Ctrl K</kbd>
          </button>
          <div className="head-right">
            {canBePast && !isPast && <Choose word="As it was…" />}
            <Clock />
            <Who />
          </div>
        </section>
        <Behind />
        <AsOfBar />
        <main className="main" id="main" data-past={isPast || undefined}>
          <Outlet />
        </main>
      </div>
      <Palette parts={[...PARTS, { to: "/bench", name: "Bench" }]} />
    </div>
  );
}

/** A demo clock must never be taken for the real one, so it says how fast it is wherever it is seen. */
function Clock() {
  const speed = useDemoSpeed();
  const now = useNow();
  if (speed === null) return null;
  return (
    <span className="quiet wide" title="This service runs on a demo clock">
      Demo clock · {speed === 0 ? "stands still" : speed === 1 ? "real speed" : speed === 60 ? "1 min = 1 h" : `${speed} times as fast`} · {moment(now, Date.now())}
    </span>
  );
}

function Who() {
  const { person, signOut } = useSession();
  const { colorScheme, setColorScheme } = useMantineColorScheme();
  return (
    <Menu position="bottom-end" shadow="sm">
      <Menu.Target>
        <button type="button" className="copy" style={{ fontSize: 14, fontWeight: 600 }}>
          {person.account} <span className="wide quiet">· {person.roles.join(", ")}</span>
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Label>
          {person.name}, {person.roles.join(", ")}
        </Menu.Label>
        {(["light", "dark", "auto"] as const).map((scheme) => (
          <Menu.Item key={scheme} onClick={() => setColorScheme(scheme)} aria-current={colorScheme === scheme}>
            {scheme === "light" ? "Light" : scheme === "dark" ? "Dark" : "Like the system"}
            {colorScheme === scheme && " ✓"}
          </Menu.Item>
        ))}
        <Menu.Divider />
        <Menu.Item onClick={() => void signOut()}>Sign out</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
