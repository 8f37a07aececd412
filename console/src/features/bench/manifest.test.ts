import { describe, expect, it } from "vitest";
import { join, readForm, split, writeProof, writeText, writeWords } from "./manifest";

const MANIFEST = `# Drafted from foldline.msi.
app: foldline
name: Foldline  # likely: name of the file
version: 7.20
settings:
  - { name: mode, says: "MODE, which is desk by itself" }
variants:
  - name: windows
    fits: os.name like "*Windows*" and architecture is "x64"
    install:
      run: [msiexec, /i, foldline.msi, '/qn', 'MODE=@{mode}']
      limit: 30m  # room for slow disks
    remove:
      run: [msiexec, /x, '{5D0A6F2E-0B1D-4C60-9E0B-0F8B6C1F7A20}']
    present:
      - program: Foldline
`;

describe("a manifest as a form", () => {
  it("shows values as they were written", () => {
    const form = readForm(MANIFEST)!;
    expect([form.app, form.name, form.version]).toEqual(["foldline", "Foldline", "7.20"]);
    expect(form.variants[0]).toMatchObject({ fits: 'os.name like "*Windows*" and architecture is "x64"', install: "msiexec /i foldline.msi /qn MODE=@{mode}", limit: "30m", launch: "" });
    expect(form.variants[0]!.proofs).toEqual([{ key: "program", subject: "Foldline" }]);
    expect(form.settings).toEqual([{ name: "mode", says: "MODE, which is desk by itself", type: "text", value: "" }]);
  });

  it("changes one value and keeps the rest, comments too", () => {
    const changed = writeText(MANIFEST, ["variants", 0, "requires"], "memory >= 8 GiB");
    expect(readForm(changed)!.variants[0]!.requires).toBe("memory >= 8 GiB");
    expect(changed).toContain("# Drafted from foldline.msi.");
    expect(changed).toContain("# room for slow disks");
    expect(readForm(changed)!.version).toBe("7.20");
  });

  it("takes the doubt away with the value that was doubtful", () => {
    expect(writeText(MANIFEST, ["name"], "Foldline Viewer")).toContain("name: Foldline Viewer\n");
  });

  it("takes a key away with its value", () => {
    expect(writeText(MANIFEST, ["variants", 0, "install", "limit"], "")).not.toContain("limit");
    expect(writeWords(MANIFEST, ["variants", 0, "remove", "run"], "")).not.toContain("remove");
  });

  it("writes a command as a list, on one line", () => {
    const changed = writeWords(MANIFEST, ["variants", 0, "install", "run"], 'sh "my setup.sh" --quiet');
    expect(changed).toContain("run: [sh, my setup.sh, --quiet]");
    expect(writeWords(changed, ["variants", 0, "launch", "run"], "/opt/foldline/foldline")).toContain("run: [/opt/foldline/foldline]");
  });

  it("writes proofs, also the first", () => {
    expect(readForm(writeProof(MANIFEST, 0, 0, "version-in", "opt/foldline/VERSION"))!.variants[0]!.proofs).toEqual([{ key: "version-in", subject: "opt/foldline/VERSION" }]);
    expect(readForm(writeProof(MANIFEST, 0, 1, "receipt", ""))!.variants[0]!.proofs[1]).toEqual({ key: "receipt", subject: "yes" });
    const empty = MANIFEST.replace("present:\n      - program: Foldline", "present: []  # not known");
    expect(readForm(writeProof(empty, 0, 0, "command", "foldline --version"))!.variants[0]!.proofs).toEqual([{ key: "command", subject: "foldline --version" }]);
  });

  it("leaves a text alone that is no manifest", () => {
    expect(readForm("- a\n- b")).toBeNull();
    expect(readForm("a: [")).toBeNull();
    expect(writeText("a: [", ["name"], "x")).toBe("a: [");
  });
});

it.each([["a b", ["a", "b"]], ['a "b c" d', ["a", "b c", "d"]], ["--x='y z'", ["--x=y z"]], ['"say \\"hi\\""', ['say "hi"']], ["  ", []]])("splits %s into words", (line, words) => {
  expect(split(line)).toEqual(words);
  expect(split(join(words))).toEqual(words);
});
