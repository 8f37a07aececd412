// Inspects real installer files as they come from the package registries by their ordinary clients, and holds what the bench says against what the files'
// own tools say. Prints a table: right, wrong and missing for each kind and statement. Needs apt-get, dpkg-deb, npm, dotnet, tar, unzip and exiftool.
//
//   node build/inspect-real.mjs [FOLDER]      files that are in FOLDER already are not fetched again
import { execFileSync } from "node:child_process";
import { existsSync, mkdirSync, mkdtempSync, readdirSync, copyFileSync, writeFileSync, statSync } from "node:fs";
import { tmpdir } from "node:os";
import { join, resolve, dirname } from "node:path";
import { fileURLToPath } from "node:url";

const here = resolve(dirname(fileURLToPath(import.meta.url)), "..");
const folder = resolve(process.argv[2] ?? mkdtempSync(join(tmpdir(), "bandejo-real-")));
const bandejo = join(process.env.BANDEJO_PROGRAMS ?? join(here, "out"), "bandejo");

const debian = `nano tree hello jq cron curl wget rsync screen tmux git htop less file zip unzip bc dc ed sl figlet cowsay sqlite3 redis-server memcached nginx-light
  openssh-server postfix locales vim-tiny emacs-nox gawk mawk busybox socat netcat-openbsd telnet whois dnsutils traceroute tcpdump strace lsof psmisc procps
  fonts-dejavu-core hunspell-en-us aspell mc ncdu pv parallel moreutils dos2unix xz-utils bzip2`.split(/\s+/);
const npm = "react vue svelte lodash express chalk commander yargs rxjs d3 three moment dayjs zod uuid".split(" ");
const npmPrograms = `@esbuild/win32-x64 @esbuild/win32-arm64 @esbuild/win32-ia32 @biomejs/cli-win32-x64 @biomejs/cli-win32-arm64 @swc/core-win32-x64-msvc
  @swc/core-win32-ia32-msvc @rollup/rollup-win32-x64-msvc @rollup/rollup-win32-arm64-msvc lightningcss-win32-x64-msvc @img/sharp-win32-x64 @parcel/watcher-win32-x64
  @rspack/binding-win32-x64-msvc @oxc-parser/binding-win32-x64-msvc turbo-windows-64 @tailwindcss/oxide-win32-x64-msvc @next/swc-win32-x64-msvc @sentry/cli-win32-x64
  @node-rs/argon2-win32-x64-msvc @napi-rs/canvas-win32-x64-msvc`.split(/\s+/);
const nuget = { "Newtonsoft.Json": "13.0.3", Dapper: "2.1.66", Serilog: "4.2.0", YamlDotNet: "16.3.0", CsvHelper: "33.0.1" };

const run = (program, words, options = {}) => execFileSync(program, words, { encoding: "utf8", maxBuffer: 1 << 28, stdio: ["ignore", "pipe", "pipe"], ...options });
const tryRun = (program, words, options) => {
  try {
    return run(program, words, options);
  } catch {
    return null;
  }
};
const made = (...parts) => {
  const path = join(folder, ...parts);
  mkdirSync(path, { recursive: true });
  return path;
};
const filesBelow = (path) => readdirSync(path, { withFileTypes: true, recursive: true }).filter((each) => each.isFile()).map((each) => join(each.parentPath, each.name));
const missing = [];

function fetchDebian() {
  const into = made("debian");
  for (const name of debian.filter((each) => !readdirSync(into).some((file) => file.startsWith(`${each}_`)))) {
    if (tryRun("apt-get", ["download", "-q", name], { cwd: into }) === null) missing.push(name);
  }
  return filesBelow(into).filter((file) => file.endsWith(".deb"));
}

function fetchNpm(names, into) {
  for (const name of names.filter((each) => !readdirSync(into).some((file) => file.startsWith(`${each.replace("@", "").replace("/", "-")}-`)))) {
    if (tryRun("npm", ["pack", "--silent", name], { cwd: into }) === null) missing.push(name);
  }
  return filesBelow(into).filter((file) => file.endsWith(".tgz"));
}

function fetchNuget() {
  const into = made("nuget");
  if (filesBelow(into).every((file) => !file.endsWith(".nupkg"))) {
    const project = made("nuget-project");
    const items = Object.entries(nuget).map(([name, version]) => `<PackageDownload Include="${name}" Version="[${version}]" />`).join("");
    writeFileSync(join(project, "fetch.csproj"), `<Project Sdk="Microsoft.NET.Sdk"><PropertyGroup><TargetFramework>net10.0</TargetFramework></PropertyGroup><ItemGroup>${items}</ItemGroup></Project>`);
    if (tryRun("dotnet", ["restore", "--packages", join(project, "packages")], { cwd: project }) === null) missing.push(...Object.keys(nuget));
    else for (const file of filesBelow(join(project, "packages")).filter((each) => each.endsWith(".nupkg"))) copyFileSync(file, join(into, file.split("/").pop()));
  }
  return filesBelow(into).filter((file) => file.endsWith(".nupkg"));
}

function programsOf(archives) {
  const into = made("programs");
  for (const archive of archives) {
    const target = join(into, archive.split("/").pop().replace(/\.tgz$/, ""));
    if (!existsSync(target)) {
      mkdirSync(target);
      run("tar", ["-xzf", archive, "-C", target]);
    }
  }
  return filesBelow(into).filter((file) => /\.(exe|dll|node)$/i.test(file) && statSync(file).size > 0);
}

// Programs with version data, of which few platform packages have any.
function fetchWine() {
  const into = made("wine");
  const target = join(into, "unpacked");
  if (!existsSync(target)) {
    if (tryRun("apt-get", ["download", "-q", "libwine"], { cwd: into }) === null) {
      missing.push("libwine");
      return [];
    }
    run("dpkg-deb", ["-x", filesBelow(into).find((file) => file.endsWith(".deb")), target]);
  }
  const all = filesBelow(target).filter((file) => /x86_64-windows\/.*\.(exe|dll)$/.test(file)).sort();
  return all.filter((_, at) => at % Math.ceil(all.length / 40) === 0);
}

// What a file's own tool says. Undefined where it does not say: then nothing is compared.
const clean = (text) => (text ?? "").replace(/[\u0000-\u001f]/g, "").trim() || undefined;
const truth = {
  debian(file) {
    const of = (field) => clean(run("dpkg-deb", ["-f", file, field]));
    const depends = [of("Pre-Depends"), of("Depends")].filter(Boolean).join(",").split(",").map((each) => each.trim()).filter(Boolean);
    return {
      name: of("Package"), version: of("Version"), architecture: { amd64: "x64", i386: "x86", all: "any" }[of("Architecture")] ?? of("Architecture"), publisher: clean(of("Maintainer")?.split("<")[0]),
      needs: String(new Set(depends).size), system: "linux",
    };
  },
  tar(file) {
    const lines = run("tar", ["-tzvf", file]).split("\n").filter((line) => line.startsWith("-"));
    return { files: String(lines.length), size: String(lines.reduce((sum, line) => sum + Number(line.split(/\s+/)[2]), 0)) };
  },
  zip(file) {
    const last = run("unzip", ["-l", file]).trim().split("\n").pop().trim().split(/\s+/);
    const folders = run("unzip", ["-Z1", file]).split("\n").filter((line) => line.endsWith("/")).length;
    return { files: String(Number(last[1]) - folders), size: last[0] };
  },
  program(file) {
    const told = JSON.parse(run("exiftool", ["-j", "-n", file]))[0];
    const machine = { 34404: "x64", 332: "x86", 43620: "arm64" }[told.MachineType];
    return { name: clean(told.ProductName), version: clean(run("exiftool", ["-s3", "-ProductVersion", file])), publisher: clean(told.CompanyName), architecture: machine, system: "windows" };
  },
};

function said(each) {
  const best = (what) => each.told.filter((told) => told.what === what).sort((a, b) => ["guess", "likely", "certain"].indexOf(b.sure) - ["guess", "likely", "certain"].indexOf(a.sure))[0];
  return {
    name: best("name")?.value, version: best("version")?.value, architecture: best("architecture")?.value, publisher: best("publisher")?.value, system: best("system")?.value,
    needs: String(each.nested.filter((nested) => nested.size === 0).length), files: each.contents && String(each.contents.files), size: each.contents && String(each.contents.size),
  };
}

const kinds = [
  ["Debian package", fetchDebian(), truth.debian],
  ["tar archive (npm)", fetchNpm(npm, made("npm")), truth.tar],
  ["ZIP archive (NuGet)", fetchNuget(), truth.zip],
  ["Windows program", [...programsOf(fetchNpm(npmPrograms, made("npm-programs"))), ...fetchWine()], truth.program],
];

const rows = [];
const wrong = [];
let count = 0;
for (const [kind, files, ofFile] of kinds) {
  const table = {};
  for (const file of files) {
    count++;
    let inspected;
    try {
      inspected = JSON.parse(run(bandejo, ["package", "inspect", file, "--output", "json"]))[0];
    } catch (error) {
      inspected = error.stdout ? JSON.parse(error.stdout)[0] : null;
    }
    const mine = inspected ? said(inspected) : {};
    for (const [what, value] of Object.entries(ofFile(file)).filter(([, each]) => each !== undefined)) {
      const row = (table[what] ??= { right: 0, wrong: 0, missing: 0 });
      const same = mine[what] === value || (what === "version" && mine[what] && value.replace(/, /g, ".").split(" ")[0] === mine[what]);
      row[same ? "right" : mine[what] === undefined ? "missing" : "wrong"]++;
      if (!same) wrong.push(`${file.slice(folder.length + 1)}: ${what} is ${value}, and the bench says ${mine[what] ?? "nothing"}`);
    }
  }
  for (const [what, row] of Object.entries(table)) rows.push([kind, String(files.length), what, String(row.right), String(row.wrong), String(row.missing)]);
}

const head = ["Kind", "Files", "Statement", "Right", "Wrong", "Missing"];
const widths = head.map((title, at) => Math.max(title.length, ...rows.map((row) => row[at].length)));
const line = (cells) => cells.map((cell, at) => (at === 0 || at === 2 ? cell.padEnd(widths[at]) : cell.padStart(widths[at]))).join("  ");
console.log(line(head));
rows.forEach((row, at) => console.log(line(at > 0 && rows[at - 1][0] === row[0] ? ["", "", ...row.slice(2)] : row)));
console.log(`\n${count} files, in ${folder}`);
if (wrong.length > 0) console.log(`\nNot as their own tools say:\n${wrong.map((each) => `  ${each}`).join("\n")}`);
if (missing.length > 0) console.log(`\nNot served: ${missing.join(", ")}`);
process.exit(count < 100 ? 1 : 0);
