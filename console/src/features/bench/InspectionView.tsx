import { Fragment, type ReactNode } from "react";
import type { Schemas } from "@/api/request";
import { bytes, count } from "@/parts/format";
import { TakeOut } from "./TakeOut";

const FIRST = 8;

/** What was read out of an installer: each statement with how sure it is and where it stands. */
export function InspectionView({ draft, inspection: it }: { draft: string; inspection: Schemas["InspectionInfo"] }) {
  return (
    <section className="section" id={it.file}>
      <h2>
        {it.file} <span className="quiet">{it.kind}, {bytes(it.size)}</span>
      </h2>
      <div className="columns">
        <div className="sheet">
          <h3 className="pad">What it says</h3>
          <Lines of={it.told} line={(told) => [told.what, told.value, told.sure, told.source]} />
        </div>
        <div>
          {it.open.length > 0 && (
            <div className="note open-questions">
              <ul>
                {it.open.map((open) => (
                  <li key={open.what}>
                    <strong>{open.what}</strong> is not told. {open.try}
                  </li>
                ))}
              </ul>
            </div>
          )}
          <div className="sheet">
            <h3 className="pad">How it is handled</h3>
            <Lines of={it.commands} line={(command) => [command.verb, <code key="run">{command.run.join(" ")}</code>, command.sure, command.source]} />
          </div>
          {it.proofs.length > 0 && (
            <div className="sheet stacked">
              <h3 className="pad">What proves it</h3>
              <Lines of={it.proofs} line={(proof) => [proof.key, <code key="subject">{proof.subject}</code>, proof.sure, proof.source]} />
            </div>
          )}
          {it.nested.length > 0 && (
            <div className="sheet stacked">
              <h3 className="pad">Other installers, to be packages of their own</h3>
              <Lines
                of={it.nested}
                line={(nested) => [
                  nested.size > 0 ? "inside" : "asked for",
                  <Fragment key={nested.path}>
                    {nested.path} {nested.canBeTaken && <TakeOut draft={draft} file={it.file} path={nested.path} />}
                  </Fragment>,
                  "",
                  nested.what,
                ]}
              />
            </div>
          )}
          {it.contents && (
            <p className="pad quiet">
              Inside: {it.contents.isWhole ? "" : "at least "}
              {count(it.contents.files)} files{it.contents.size > 0 && `, ${bytes(it.contents.size)} unpacked`}, such as <span className="mono">{it.contents.first.slice(0, 3).map((file) => file.path).join(", ")}</span>.
            </p>
          )}
        </div>
      </div>
    </section>
  );
}

function Lines<T>({ of, line }: { of: readonly T[]; line: (item: T) => readonly [string, ReactNode, string, string] }) {
  if (of.length === 0) return <p className="pad quiet">Nothing.</p>;
  const rows = of.map((item, at) => {
    const [what, value, sure, source] = line(item);
    return (
      <tr key={`${what} ${at}`}>
        <td className="quiet what">{what}</td>
        <td>{value}</td>
        <td className={sure === "certain" ? "quiet" : "doubt"}>
          {sure}
          {source && <div className="quiet source">{source}</div>}
        </td>
      </tr>
    );
  });
  return (
    <>
      <table className="plain"><tbody>{rows.slice(0, FIRST)}</tbody></table>
      {rows.length > FIRST && (
        <details className="pad">
          <summary>{count(rows.length - FIRST)} more</summary>
          <table className="plain"><tbody>{rows.slice(FIRST)}</tbody></table>
        </details>
      )}
    </>
  );
}
