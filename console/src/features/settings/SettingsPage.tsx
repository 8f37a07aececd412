import { getRouteApi, Link } from "@tanstack/react-router";
import { Page } from "@/parts/Page";
import { AccountsView } from "./AccountsView";
import { HandlingsView } from "./HandlingsView";
import { JoinCodesView } from "./JoinCodesView";
import { KeepingView } from "./KeepingView";
import { PasswordView } from "./PasswordView";
import { ServiceView } from "./ServiceView";
import { TokensView } from "./TokensView";
import { WavePlansView } from "./WavePlansView";

const route = getRouteApi("/settings");
const VIEWS = [
  { key: "", title: "Service", command: "bandejo clock show", view: ServiceView },
  { key: "keeping", title: "Keeping", command: "bandejo keeping show", view: KeepingView },
  { key: "accounts", title: "Accounts", command: "bandejo account list", view: AccountsView },
  { key: "tokens", title: "Tokens and browsers", command: "bandejo token list", view: TokensView },
  { key: "password", title: "Your password", command: "bandejo account password", view: PasswordView },
  { key: "join-codes", title: "Join codes", command: "bandejo device join-code list", view: JoinCodesView },
  { key: "wave-plans", title: "Wave plans", command: "bandejo wave-plan list", view: WavePlansView },
  { key: "handlings", title: "Handlings", command: "bandejo handling list", view: HandlingsView },
];

/** Who may do what, how devices join, which wave plans there are, how the service is. */
export default function SettingsPage() {
  const key = route.useSearch().view ?? "";
  const chosen = VIEWS.find((each) => each.key === key) ?? VIEWS[0]!;
  return (
    <Page title="Settings" command={chosen.command}>
      <nav className="tabs" aria-label="Settings">
        {VIEWS.map((each) => (
          <Link key={each.key} to="/settings" search={{ view: each.key }} className={`tab ${each === chosen ? "active" : ""}`} aria-current={each === chosen ? "page" : undefined}>
            {each.title}
          </Link>
        ))}
      </nav>
      <div className="section">
        <chosen.view />
      </div>
    </Page>
  );
}
