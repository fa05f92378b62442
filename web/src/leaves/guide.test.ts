import { readFileSync } from "node:fs";
import { expect, it } from "vitest";
import { leaves } from ".";

const page = (name: string) => readFileSync(new URL(`../../../docs/guide/${name}.md`, import.meta.url), "utf8");

it("has a page for each leaf, with its title, its picture and just its keys", () => {
  for (const l of leaves) {
    const text = page(l.name);
    expect(text.startsWith(`# ${l.title}\n`), l.name).toBe(true);
    expect(text, l.name).toMatch(/^!\[.+\]\(\.\.\/screenshots\/.+\.png\)$/m);
    const keys = text.split("## Keys\n")[1] ?? "";
    const rows = [...keys.matchAll(/^\| (.+?) \| (.+) \|$/gm)].map((m) => [m[1], m[2]]).slice(2);
    expect(rows, l.name).toEqual(l.keys ?? []);
  }
});
