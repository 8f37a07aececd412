// How fast the console is for who looks at it: node console.mjs ADDRESS ACCOUNT PASSWORD SECONDS DEPLOYMENT. Prints its figures as JSON.
import { createRequire } from "node:module";

const { chromium } = createRequire(new URL("../console/package.json", import.meta.url))("@playwright/test");
const [address, account, password, seconds, deployment] = process.argv.slice(2);
const browser = await chromium.launch({
  executablePath: process.env.BANDEJO_CHROMIUM ?? "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
});
const view = { baseURL: address, viewport: { width: 1280, height: 800 }, locale: "en-GB" };

const first = await browser.newContext(view);
const entry = await first.newPage();
await entry.goto("/");
await entry.getByLabel("Account").fill(account);
await entry.getByRole("textbox", { name: "Password" }).fill(password);
await entry.getByRole("button", { name: "Sign in" }).click();
await entry.getByRole("heading", { name: "Today", level: 1 }).waitFor();
const signedIn = await first.storageState();
await first.close();

// Runs in the page: resolves with the milliseconds until a page with this title stands there whole.
const whole = (title) =>
  new Promise((done) => {
    const start = performance.now();
    const look = () => (document.querySelector("h1")?.textContent === title && !document.querySelector(".loading") ? requestAnimationFrame(() => done(performance.now() - start)) : requestAnimationFrame(look));
    look();
  });

// A context of its own has an empty cache; the time begins with the navigation.
const firstViews = [];
for (let round = 0; round < 7; round++) {
  const context = await browser.newContext({ ...view, storageState: signedIn });
  const page = await context.newPage();
  await page.goto("/", { waitUntil: "commit" });
  await page.evaluate(whole, "Today");
  firstViews.push(await page.evaluate(() => performance.now()));
  await context.close();
}

const context = await browser.newContext({ ...view, storageState: signedIn });
const page = await context.newPage();
await page.goto("/");
await page.evaluate(whole, "Today");
const changes = {};
for (let round = 0; round < 7; round++) {
  for (const name of ["Apps", "Devices", "Groups", "Deployments", "Compliance", "Journal", "Settings", "Today"]) {
    const link = page.locator(`.side-link`, { hasText: name });
    await link.hover();
    const took = await page.evaluate(
      ([title, source]) => {
        [...document.querySelectorAll(".side-link")].find((each) => each.firstChild.textContent === title).click();
        return new Function(`return (${source})`)()(title);
      },
      [name, whole.toString()],
    );
    (changes[name] ??= []).push(took);
  }
}

// Scrolling through all devices in jumps: how long until rows stand there.
await page.goto("/devices");
await page.evaluate(whole, "Devices");
const scrolls = [];
for (let at = 1; at <= 10; at++) {
  scrolls.push(
    await page.evaluate(
      (share) =>
        new Promise((done) => {
          const start = performance.now();
          scrollTo(0, share * document.documentElement.scrollHeight - 900);
          const look = () => {
            const rows = [...document.querySelectorAll(".list-row")].filter((row) => row.getBoundingClientRect().top < 800 && row.getBoundingClientRect().bottom > 100);
            if (rows.length > 10 && rows.every((row) => row.querySelector("a"))) done(performance.now() - start);
            else requestAnimationFrame(look);
          };
          requestAnimationFrame(look);
        }),
      at / 10,
    ),
  );
}

// Events: somebody pauses and resumes a deployment; the one who looks sees it.
const token = (await (await fetch(`${address}/api/v1/tokens`, { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify({ account, password }) })).json()).secret;
const act = (what) => fetch(`${address}/api/v1/deployments/${deployment}/${what}`, { method: "POST", headers: { "content-type": "application/json", authorization: `Bearer ${token}` }, body: '{"reason":"measured"}' });
await page.goto(`/deployments/${deployment}`);
await page.waitForFunction(() => document.querySelector(".lead"));
const seen = [];
for (let round = 0; round < 10; round++) {
  for (const [what, shows] of [["pause", true], ["resume", false]]) {
    const answer = await act(what);
    if (!answer.ok) throw new Error(await answer.text());
    const start = Date.now();
    await page.waitForFunction((paused) => (document.querySelector(".lead")?.textContent ?? "").startsWith("Paused") === paused, shows, { polling: 20 });
    seen.push(Date.now() - start);
  }
}

// Memory: the same page, with events all the time.
const session = await context.newCDPSession(page);
await session.send("HeapProfiler.enable");
await page.goto("/");
await page.evaluate(whole, "Today");
const heap = [];
const end = Date.now() + Number(seconds) * 1000;
let events = 0;
const memory = async () => {
  await session.send("HeapProfiler.collectGarbage");
  const { usedSize } = await session.send("Runtime.getHeapUsage");
  heap.push({ second: Math.round(Number(seconds) - (end - Date.now()) / 1000), mib: usedSize / 1048576 });
};
await memory();
let next = Date.now() + 10_000;
while (Date.now() < end) {
  await act("pause");
  await act("resume");
  events += 4;
  await new Promise((done) => setTimeout(done, 150));
  if (Date.now() >= next) {
    await memory();
    next += 10_000;
  }
}
await memory();
await browser.close();
console.log(JSON.stringify({ firstViews, changes, scrolls, seen, heap, events }));
