import type { Schemas } from "@/api/request";
import { bytes, count, devices } from "@/parts/format";

const FIRST = 3;

interface CheckProps {
  check: Schemas["PackageCheckAnswer"];
  files: readonly Schemas["BenchFileInfo"][];
  isOld: boolean;
}

/** What its files are, what is wrong with a draft, and which devices it is not for. */
export function CheckView({ check, files, isOld }: CheckProps) {
  const notFor = check.notFor ?? [];
  return (
    <div className={`section columns ${isOld ? "old" : ""}`} aria-busy={isOld}>
      <section className="sheet">
        <h2 className="pad">What it is</h2>
        <ul className="plain-list pad">{files.flatMap((file) => (file.inspection ? [<li key={file.path}><Known of={file.inspection} /></li>] : []))}</ul>
      </section>
      <section className="sheet">
        <h2 className="pad">{check.findings.length === 0 ? "Nothing stands against it" : "To mend"}</h2>
        {check.findings.length > 0 && (
          <ul className="findings pad">
            {check.findings.map((finding) => (
              <li key={`${finding.where} ${finding.message}`} className={finding.isWarning ? "warning" : "error"}>
                <strong>{finding.isWarning ? "Warning" : "Error"}</strong>
                {finding.line > 0 && <span className="quiet"> line {finding.line}</span>} {finding.message}
                {finding.where && finding.line === 0 && <span className="mono quiet"> {finding.where}</span>}
              </li>
            ))}
          </ul>
        )}
      </section>
      {check.fitsDevices !== null && check.fitsDevices !== undefined && (
        <section className="sheet">
          <h2 className="pad">
            {check.allDevices === 0 ? "For which devices" : `${count(check.fitsDevices)} of ${devices(check.allDevices)} could get it now`}
          </h2>
          {notFor.length === 0 ? (
            <p className="pad quiet">{check.allDevices === 0 ? "No device is enrolled yet, so nobody can say." : "It is meant for every device, and each has what it requires."}</p>
          ) : (
            <>
              <Reasons of={notFor.slice(0, FIRST)} />
              {notFor.length > FIRST && (
                <details className="pad">
                  <summary>{count(notFor.length - FIRST)} more reasons</summary>
                  <Reasons of={notFor.slice(FIRST)} />
                </details>
              )}
            </>
          )}
        </section>
      )}
    </div>
  );
}

function Reasons({ of }: { of: readonly Schemas["OutInfo"][] }) {
  return (
    <table className="plain">
      <tbody>
        {of.map((reason) => (
          <tr key={reason.reason}>
            <td className="number">{count(reason.count)}</td>
            <td>
              {reason.reason} <span className="quiet">{reason.sample.join(", ")}{reason.count > reason.sample.length && ", …"}</span>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What a file is, how sure that is, and what it does not tell. */
function Known({ of: it }: { of: Schemas["InspectionInfo"] }) {
  const said = [...it.told, ...it.commands, ...it.proofs];
  const sure = said.filter((each) => each.sure === "certain").length;
  return (
    <>
      <strong>{it.kind}</strong>, {bytes(it.size)}: <a href={`#${encodeURIComponent(it.file)}`}>{count(sure)} of {count(said.length)} statements are certain</a>
      {it.open.length === 0 ? "." : `; not told: ${it.open.map((open) => open.what).join(", ")}.`}
      {it.findings.map((finding) => <p key={finding.message} className="doubt wide-text">{finding.message}</p>)}
    </>
  );
}
