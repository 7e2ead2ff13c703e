// Opens a report in a headless browser and looks for everything that could be wrong with it.
import fs from "node:fs";
import { pathToFileURL } from "node:url";
import puppeteer from "puppeteer-core";

const [path] = process.argv.slice(2);
const url = pathToFileURL(path).href;
const axe = fs.readFileSync(new URL("node_modules/axe-core/axe.min.js", import.meta.url), "utf8");
const wrong = [];
const browser = await puppeteer.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
try {
  for (const scheme of ["light", "dark"]) {
    for (const [width, height] of [[1280, 800], [400, 800]]) {
      const page = await browser.newPage();
      await page.setViewport({ width, height });
      await page.emulateMediaFeatures([{ name: "prefers-color-scheme", value: scheme }]);
      page.on("console", message => wrong.push(`console: ${message.text()}`));
      page.on("pageerror", error => wrong.push(`error: ${error}`));
      page.on("request", request => {
        if (request.url() !== url) wrong.push(`request: ${request.url()}`);
      });
      await page.goto(url);
      const overflow = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
      if (overflow > 0) wrong.push(`${width} wide: the page is ${overflow} pixels too wide`);
      await page.evaluate(() => document.querySelectorAll("details").forEach(it => (it.open = true)));
      await page.evaluate(axe);
      const found = await page.evaluate(async () => {
        const { violations } = await globalThis.axe.run(document, { resultTypes: ["violations"] });
        return violations.map(it => `${it.id}: ${it.help}: ${it.nodes.slice(0, 3).map(node => node.html).join(" ")}`);
      });
      wrong.push(...found.map(it => `${scheme}, ${width} wide: ${it}`));
      wrong.push(...(await page.evaluate(sortsAndSearches)));
      await page.close();
    }
  }
} finally {
  await browser.close();
}
if (wrong.length > 0) {
  console.log([...new Set(wrong)].join("\n"));
  process.exit(1);
}

// In the page.
function sortsAndSearches() {
  const wrong = [];
  const table = [...document.querySelectorAll("table.sortable")].find(it => it.caption.textContent.match(/kind/));
  const column = [...table.tHead.rows[0].cells].findIndex(it => it.textContent === "Value");
  const values = () => [...table.tBodies[0].rows].map(row => Number(row.cells[column].textContent));
  const button = table.tHead.rows[0].cells[column].querySelector("button");
  button.click();
  if (values().some((value, nth, all) => nth > 0 && all[nth - 1] > value)) wrong.push("a column does not sort upwards");
  button.click();
  if (values().some((value, nth, all) => nth > 0 && all[nth - 1] < value)) wrong.push("a column does not sort downwards");
  const input = table.parentElement.previousElementSibling.querySelector("input");
  const first = table.tBodies[0].rows[0].cells[0].textContent;
  input.value = first;
  input.dispatchEvent(new Event("input"));
  const shown = [...table.tBodies[0].rows].filter(row => !row.hidden);
  if (shown.length === 0 || shown.some(row => !row.textContent.includes(first))) wrong.push("a search shows wrong rows");
  return wrong;
}
