// Takes a template on by deltas, with the browser's own model, and compares with a
// fresh load: node replay.mjs MODEL < {"opened", "steps": [{"delta", "now"}]}
import { readFileSync } from "node:fs";

const { after, sheetOf } = await import(process.argv[2]);
const { opened, steps } = JSON.parse(readFileSync(0, "utf8"));

/** plain is a sheet as JSON in which nothing depends on the order of keys; facts of
 * rows that are gone count nothing. */
function plain(sheet) {
  const facts = [...sheet.facts.values()].filter((f) => sheet.instruments.byId.has(f.id));
  return JSON.stringify({ ...sheet, facts: facts.sort((a, b) => (a.id < b.id ? -1 : 1)) }, (_, v) => {
    if (v instanceof Map) return Object.fromEntries([...v].sort(([a], [b]) => (a < b ? -1 : 1)));
    if (v && typeof v === "object" && !Array.isArray(v))
      return Object.fromEntries(Object.entries(v).sort(([a], [b]) => (a < b ? -1 : 1)));
    return v;
  });
}

let sheet = sheetOf(opened);
for (const { delta, now, label } of steps) {
  sheet = after(sheet, delta);
  if (!now) continue;
  const [got, want] = [plain(sheet), plain(sheetOf(now))];
  if (got === want) continue;
  const at = [...got].findIndex((c, n) => c !== want[n]);
  console.log(`after revision ${delta.revision}, ${label}: the delta gives ${got.slice(at - 80, at + 120)}, a fresh load ${want.slice(at - 80, at + 120)}`);
  process.exit(1);
}
