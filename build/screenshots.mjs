// Pictures of the console's pages at 1280 x 800, from a running demo: node screenshots.mjs ADDRESS FOLDER
import { createRequire } from "node:module";
import { join } from "node:path";

const { chromium } = createRequire(new URL("../console/package.json", import.meta.url))("@playwright/test");
const [address, folder] = process.argv.slice(2);
const password = (name) => `${name}-of-orrin-county`;

const browser = await chromium.launch({
  executablePath: process.env.BANDEJO_CHROMIUM ?? "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
});

async function person(name, options = {}) {
  const context = await browser.newContext({ baseURL: address, viewport: { width: 1280, height: 800 }, locale: "en-GB", reducedMotion: "reduce", ...options });
  const page = await context.newPage();
  await page.goto("/");
  await page.getByLabel("Account").fill(name);
  await page.getByRole("textbox", { name: "Password" }).fill(password(name));
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByRole("heading", { name: "Today", level: 1 }).waitFor();
  return page;
}

async function shot(page, file, path, prepare) {
  await page.goto(path);
  await page.waitForFunction(() => document.querySelector("h1") && !document.querySelector(".loading"));
  await prepare?.(page);
  await page.evaluate(() => document.fonts.ready);
  // The last answers are drawn, and no pointer rests on anything.
  await page.mouse.move(640, 798);
  await page.waitForTimeout(700);
  await page.screenshot({ path: join(folder, `${file}.png`) });
  console.log(join(folder, `${file}.png`));
}

const tomas = await person("tomas");
const deployments = await tomas.evaluate(() => fetch("/api/v1/deployments").then((answer) => answer.json()));
const named = (name) => `/deployments/${deployments.find((each) => each.name === name).id}`;
await shot(tomas, "today", "/");
await shot(tomas, "deployments", "/deployments");
await shot(tomas, "deployment", named("Foldline 7.2.0 for every desk"));
await shot(tomas, "deployment-new", "/deployments/new?package=quillmark&groups=branch-servers,reading-rooms,studios", (page) => page.getByText(/^Reaches/).waitFor());
await shot(tomas, "devices", `/devices?${new URLSearchParams({ filter: 'kind is "kiosk" or kind is "laptop"', columns: "disk.free,memory", sort: "disk.free" })}`);
await shot(tomas, "device", "/devices/BRM-SRV-1");
await shot(tomas, "group", "/groups/small-disks", async (page) => {
  await page.getByRole("textbox", { name: "Rule" }).click();
  await page.keyboard.press("End");
  await page.keyboard.type(' and modle is "Pamphlet 2" and site i', { delay: 10 });
  await page.getByText("Did you mean 'model'?").waitFor();
});
await shot(tomas, "app", "/apps/quillmark");
await shot(tomas, "package", "/packages/foldline%207.2.0");
await shot(tomas, "compliance", "/compliance", (page) => page.getByText("The figures, day by day").scrollIntoViewIfNeeded());
const now = await tomas.evaluate(() => fetch("/api/v1/clock").then((answer) => answer.json()));
await shot(tomas, "compliance-past", `/compliance?asOf=${new Date(Date.parse(now.now) - 5 * 86_400_000).toISOString().slice(0, 10)}`);
await shot(tomas, "calendar", "/calendar");
await shot(tomas, "journal", "/journal");

// On the bench lies what a packager dropped, and its trial has just passed.
const ines = await person("ines");
for (const draft of await ines.evaluate(() => fetch("/api/v1/bench").then((answer) => answer.json()))) {
  await ines.goto(`/bench/${draft.id}`);
  await ines.getByRole("button", { name: "Clear away…" }).click();
  await ines.getByRole("button", { name: "Clear it away" }).click();
  await ines.waitForURL("**/bench");
}
await shot(ines, "bench", "/bench", async (page) => {
  await page.locator("input[type=file]").setInputFiles("demo/installers/inkwell-print_4.3.0_amd64.deb");
  await page.waitForURL("**/bench/*");
  await page.getByLabel("Fits").fill('architecture is "x64" and kind in ("desk", "laptop")');
  await page.getByLabel("Requires").fill("disk.free >= 30 GB");
  await page.getByRole("heading", { name: /could get it now/ }).filter({ hasNotText: "424 of 424" }).waitFor();
});
await shot(ines, "bench-trial", new URL(ines.url()).pathname, async (page) => {
  await page.getByRole("button", { name: "Try it" }).click();
  await page.getByText("Nothing is left behind.").waitFor();
});
await browser.close();
