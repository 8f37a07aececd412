import { useQuery, useQueryClient } from "@tanstack/react-query";
import { getRouteApi, Link } from "@tanstack/react-router";
import { Fragment, useState } from "react";
import { keys, OF_PACKAGES, renew } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { AppIcon } from "@/parts/AppIcon";
import { Ask, type Question } from "@/parts/Ask";
import { ButtonLink } from "@/parts/ButtonLink";
import { bytes, devices, quoted } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { isGone, NotYet } from "@/parts/NotYet";
import { Page } from "@/parts/Page";
import { ChangesSheet } from "./ChangesSheet";
import { KeptTrial } from "./KeptTrial";
import { TryOnDevice } from "./TryOnDevice";

type Package = Schemas["PackageInfo"];
const route = getRouteApi("/packages/$digest");

/** One package: what is inside, for whom, how it proves itself, what became of it. */
export default function PackagePage() {
  const { digest } = route.useParams();
  const found = useQuery({ queryKey: keys.package(digest), queryFn: ({ signal }) => request("get", "/api/v1/packages/{package}", { path: { package: digest }, signal }) });
  const crumbs = [{ name: "Apps", to: "/apps" }];
  const [trial, setTrial] = useState<string | null>(null);
  if (!found.data || isGone(found)) return <NotYet query={found} title="Package" what="package" crumbs={crumbs} />;
  const { package: it, summary, variants, history, installedOn, deployments, settings, presets, earlier, needs, room } = found.data;
  return (
    <Page
      title={`${it.name} ${it.version}`}
      crumbs={[...crumbs, { name: it.name, to: `/apps/${it.app}` }]}
      mark={<AppIcon app={it.app} size={40} />}
      lead={<><strong>{it.state[0]!.toUpperCase() + it.state.slice(1)}{room.isLetGo && ", let go"}, on {devices(installedOn)}.</strong> {summary}</>}
      command={`bandejo package show ${quoted(`${it.app} ${it.version}`)}`}
      acts={<PackageActs it={it} installedOn={installedOn} deployments={deployments} room={room} />}
    >
      <div className="section columns">
        {variants.map((variant) => <VariantSheet key={variant.name} variant={variant} />)}
        {settings.length > 0 && <SettingsSheet settings={settings} presets={presets} />}
        <section className="sheet">
          <h2 className="pad">Life</h2>
          <table className="plain">
            <tbody>
              {history.map((step) => (
                <tr key={step.state + step.at + step.trial}>
                  <td style={{ whiteSpace: "nowrap" }}><strong>{step.state}</strong></td>
                  <td>{step.by}{step.reason && <span className="quiet"> “{step.reason}”</span>}{step.trial && <>{" "}<button type="button" className="copy" onClick={() => setTrial(step.trial ?? null)}>See its steps</button></>}</td>
                  <td className="number"><Moment at={step.at} /></td>
                </tr>
              ))}
            </tbody>
          </table>
          <dl className="facts pad" style={{ gridTemplateColumns: "max-content minmax(0, 1fr)" }}>
            <dt>Digest</dt>
            <dd className="mono">{it.digest}</dd>
            <dt>Payload</dt>
            <dd>{it.files} {it.files === 1 ? "file" : "files"}, {bytes(it.size)}{room.isLetGo ? ", not kept any more" : `, ${bytes(room.own)} of it only for this package`}</dd>
            {needs.length > 0 && <><dt>Needs first</dt><dd>{needs.join(", ")}</dd></>}
            {!room.isLetGo && <><dt>Can be let go</dt><dd>{room.keptFor ? `no: ${room.keptFor}` : "yes, nothing needs it any more"}</dd></>}
            <dt>Where it is</dt>
            <dd>{installedOn === 0 ? "on no device" : <Link to="/devices" search={{ filter: `app "${it.app}" is "${it.version.split("+")[0]}"`, columns: `app "${it.app}"` }}>{devices(installedOn)}</Link>}</dd>
            <dt>Deployments</dt>
            <dd>{deployments.length === 0 ? "none" : deployments.map((each, at) => <span key={each}>{at > 0 && ", "}<Link to="/deployments/$deployment" params={{ deployment: each }}>{each}</Link></span>)}</dd>
          </dl>
        </section>
      </div>
      {trial && <KeptTrial digest={it.digest} trial={trial} close={() => setTrial(null)} />}
      {earlier && <ChangesSheet digest={it.digest} earlier={earlier} />}
    </Page>
  );
}

function VariantSheet({ variant }: { variant: Schemas["VariantInfo"] }) {
  return (
    <section className="sheet">
      <h2 className="pad">Variant {variant.name}</h2>
      <dl className="facts pad" style={{ gridTemplateColumns: "max-content minmax(0, 1fr)", paddingTop: 0 }}>
        <dt>Fits</dt>
        <dd><code>{variant.fits}</code></dd>
        <dt>Requires</dt>
        <dd><code>{variant.requires}</code></dd>
        <dt>Install</dt>
        <dd><code>{variant.install}</code></dd>
        <dt>Remove</dt>
        <dd>{variant.remove ? <code>{variant.remove}</code> : <span className="quiet">no step: it cannot be taken away</span>}</dd>
        {variant.more.map((line, at) => <Fragment key={at}><dt>{line.name[0]!.toUpperCase() + line.name.slice(1)}</dt><dd>{line.says}</dd></Fragment>)}
        <dt>Proof</dt>
        <dd>{variant.present.map((check) => <div key={check}><code>{check}</code></div>)}</dd>
      </dl>
      <table className="plain">
        <thead><tr><th>File</th><th className="number">Size</th><th>SHA-256</th></tr></thead>
        <tbody>
          {variant.files.map((file) => (
            <tr key={file.path}>
              <td className="mono">{file.path}</td>
              <td className="number">{bytes(file.size)}</td>
              <td className="mono" title={file.sha256}>{file.sha256.slice(0, 10)}…</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function SettingsSheet({ settings, presets }: Pick<Schemas["PackageDetails"], "settings" | "presets">) {
  return (
    <section className="sheet">
      <h2 className="pad">Settings</h2>
      <table className="plain">
        <thead><tr><th>Setting</th><th>Values</th><th>Unless set</th></tr></thead>
        <tbody>
          {settings.map((setting) => (
            <tr key={setting.name}>
              <td><strong>{setting.name}</strong>{setting.says && <div className="quiet">{setting.says}</div>}</td>
              <td>{setting.choices.length > 0 ? setting.choices.join(", ") : setting.type}</td>
              <td className="mono">{setting.default ?? <span className="quiet">left out</span>}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {presets.map((preset) => <p key={preset.name} className="pad">Preset <strong>{preset.name}</strong>: <span className="mono">{preset.values.join(", ")}</span></p>)}
    </section>
  );
}

function PackageActs({ it, installedOn, deployments, room }: { it: Package; installedOn: number; deployments: readonly string[]; room: Schemas["PackageRoom"] }) {
  const { forbidden } = useSession();
  const queries = useQueryClient();
  const [question, setQuestion] = useState<Question | null>(null);
  const [isTrying, setIsTrying] = useState(false);
  const named = quoted(`${it.app} ${it.version}`);
  const done = () => void renew(queries, ...OF_PACKAGES);
  const release: Question = {
    title: `Release ${it.name} ${it.version}`,
    says: <p>It may then be deployed to every group, not only to those for testing. {it.state !== "tried" && "It was not tried: only an administrator may release it so, and the reason stays."}</p>,
    act: `Release ${it.version}`,
    reason: "may",
    command: (reason) => `bandejo package release ${named} --reason ${quoted(reason)}`,
    run: (reason) => request("post", "/api/v1/packages/{package}/release", { path: { package: it.digest }, body: { reason } }).then(() => `${it.name} ${it.version} is released.`).finally(done),
  };
  const withdraw: Question = {
    title: `Withdraw ${it.name} ${it.version}`,
    says: <p>For good: it is never deployed again, its {deployments.length} {deployments.length === 1 ? "deployment stops" : "deployments stop"} at once, and devices refuse it even offline. It stays on the {devices(installedOn)} that have it until something else is deployed there.</p>,
    act: `Withdraw; it is on ${devices(installedOn)}`,
    isDangerous: true,
    reason: "must",
    command: (reason) => `bandejo package withdraw ${named} --reason ${quoted(reason)}`,
    run: (reason) => request("post", "/api/v1/packages/{package}/withdraw", { path: { package: it.digest }, body: { reason } }).then(() => `${it.name} ${it.version} is withdrawn.`).finally(done),
  };
  const leave: Question = {
    title: `Let go of ${it.name} ${it.version}`,
    says: <p>Its files go, {bytes(room.own)} that no other package needs. What is known of it stays, and building or importing it again brings it back. It cannot be deployed meanwhile.</p>,
    act: `Let go; ${bytes(room.own)} go`,
    isDangerous: true,
    reason: "may",
    command: (reason) => `bandejo package let-go ${named} --reason ${quoted(reason)}`,
    run: (reason) => request("post", "/api/v1/packages/{package}/let-go", { path: { package: it.digest }, body: { reason } }).then(() => `${it.name} ${it.version} is let go.`).finally(done),
  };
  return (
    <>
      {!room.isLetGo && !room.keptFor && <Act forbidden={forbidden("POST /api/v1/packages/{package}/let-go")} onClick={() => setQuestion(leave)}>Let go…</Act>}
      {it.state !== "withdrawn" && !room.isLetGo && <ButtonLink to="/deployments/new" search={{ package: `${it.app} ${it.version}` }} variant={it.state === "released" ? "filled" : "default"}>Deploy it</ButtonLink>}
      {(it.state === "built" || it.state === "tried") && <Act variant="filled" forbidden={forbidden("POST /api/v1/packages/{package}/release")} onClick={() => setQuestion(release)}>Release…</Act>}
      {it.state !== "withdrawn" && <Act forbidden={forbidden("POST /api/v1/packages/{package}/withdraw")} onClick={() => setQuestion(withdraw)}>Withdraw…</Act>}
      {it.state !== "withdrawn" && !room.isLetGo && <Act forbidden={forbidden("POST /api/v1/devices/{device}/trial")} onClick={() => setIsTrying(true)}>Try on a device…</Act>}
      {isTrying && <TryOnDevice it={it} close={() => setIsTrying(false)} />}
      <Ask question={question} close={() => setQuestion(null)} />
    </>
  );
}
