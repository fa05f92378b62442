import { readFileSync } from "node:fs";
import Ajv2020 from "ajv/dist/2020";
import {
  type Color,
  differenceEuclidean,
  filterDeficiencyDeuter,
  filterDeficiencyProt,
  filterDeficiencyTrit,
  oklch,
  wcagContrast,
} from "culori";
import { parse } from "musicxml-io";
import { expect, it } from "vitest";
import { tintNames } from "./template";

const root = new URL("../../../", import.meta.url);
const read = (path: string) => JSON.parse(readFileSync(new URL(path, root), "utf8"));

// The published schema, checked by another validator (npm ajv) than the one
// the program uses.
it("accepts the demo template and refuses a broken one", () => {
  const validate = new Ajv2020({ strict: false }).compile(read("docs/schema/template-9.schema.json"));
  const file = read("internal/format/templatefile/testdata/salt-lantern.fanfold.json");
  expect(validate(file), JSON.stringify(validate.errors)).toBe(true);
  file.template.instruments[0].seat.channel = 17;
  expect(validate(file)).toBe(false);
});

const css = readFileSync(new URL("web/src/app.css", root), "utf8");
const colour = (text: string) => oklch(text)!;
const theme = (name: string) => css.slice(css.indexOf(`[data-theme="${name}"] {`));
const token = (name: string, key: string) => colour(theme(name).match(new RegExp(`--${key}: (oklch\\([^)]*\\))`))![1]!);
const tints = (l: number) =>
  tintNames
    .filter((name) => name !== "grey")
    .map((name) => {
      const m = css.match(
        new RegExp(
          `--tint-${name}: oklch\\((?:calc\\(var\\(--tint-l\\) ([+-] [\\d.]+)\\)|var\\(--tint-l\\)) ([\\d.]+) ([\\d.]+)\\)`,
        ),
      )!;
      const shift = Number((m[1] ?? "0").replace(" ", ""));
      return { name, colour: { mode: "oklch" as const, l: l + shift, c: Number(m[2]), h: Number(m[3]) } };
    });

// Contrast as in WCAG 2.2, 1.4.3: 4.5 to 1.
it.each(["day", "pit"])("keeps text readable in %s", (name) => {
  for (const text of ["ink", "soft", "accent"]) {
    for (const ground of ["paper", "band", "spine"]) {
      expect(wcagContrast(token(name, text), token(name, ground)), `${text} on ${ground}`).toBeGreaterThanOrEqual(4.5);
    }
  }
  expect(wcagContrast(token(name, "ink"), token(name, "chosen"))).toBeGreaterThanOrEqual(4.5);
  expect(wcagContrast(token(name, "accent-text"), token(name, "accent"))).toBeGreaterThanOrEqual(4.5);
});

// Neighbouring sections differ by a Delta E OK of at least 0.06, in normal
// vision and as npm culori simulates protan, deutan and tritan vision.
it.each([0.74, 0.62])("keeps neighbouring tints apart at lightness %s", (l) => {
  const all = tints(l);
  const far = differenceEuclidean("oklab");
  const eyes = [(x: Color) => x, filterDeficiencyProt(1), filterDeficiencyDeuter(1), filterDeficiencyTrit(1)];
  for (let n = 1; n < all.length; n++) {
    for (const see of eyes) {
      expect(
        far(see(all[n - 1]!.colour), see(all[n]!.colour)),
        `${all[n - 1]!.name}, ${all[n]!.name}`,
      ).toBeGreaterThanOrEqual(0.06);
    }
  }
});

// The server's colours as npm culori has them: OKLCH, Delta E OK and contrast.
// How far a colour moves in protan, deutan and tritan vision agrees within 0.02
// for muted ones: the library takes the matrices to encoded values, the server,
// as the paper's authors do, to linear ones.
it("has the colours that the server has", () => {
  const far = differenceEuclidean("oklab");
  let before: Color | string = "#000000";
  for (const f of read("internal/core/colour/testdata/outside.json")) {
    const c = oklch(f.hex as string)!;
    expect(c.l, f.hex).toBeCloseTo(f.l, 3);
    expect(c.c, f.hex).toBeCloseTo(f.c, 3);
    if (f.c > 0.01) expect(c.h, f.hex).toBeCloseTo(f.h, 0);
    expect(far(before, f.hex), f.hex).toBeCloseTo(f.difference, 3);
    expect(wcagContrast(f.hex, "#ffffff"), f.hex).toBeCloseTo(f.contrast, 2);
    before = f.hex;
    if (f.c > 0.16) continue;
    const visions = { protan: filterDeficiencyProt, deutan: filterDeficiencyDeuter, tritan: filterDeficiencyTrit };
    for (const [name, see] of Object.entries(visions)) {
      expect(Math.abs(far(f.hex, see(1)(f.hex)) - f.seen[name]), `${f.hex}, ${name}`).toBeLessThan(0.02);
    }
  }
});

// An empty score that the program writes, as npm musicxml-io reads it; the server's test holds the same file.
it("reads the empty score's parts, brackets, clefs and transpositions", () => {
  const text = readFileSync(new URL("internal/format/musicxml/testdata/empty.musicxml", root), "utf8");
  const score = parse(text);
  const names = score.partList.flatMap((x) =>
    x.type === "score-part" ? [`${x.name} ${x.scoreInstruments?.[0]?.sound}`] : [],
  );
  expect(names).toContain("Clarinet 1 wind.reed.clarinet");
  expect(score.partList.filter((x) => x.type === "part-group" && x.groupType === "start").length).toBe(
    score.partList.filter((x) => x.type === "part-group" && x.groupType === "stop").length,
  );
  const first = Object.fromEntries(
    score.parts.map((p, n) => [names[n]?.split(" ").slice(0, -1).join(" "), p.measures[0]?.attributes]),
  );
  expect(first.Piccolo?.transpose).toMatchObject({ chromatic: 0, octaveChange: 1 });
  expect(first["Clarinet 1"]?.transpose).toMatchObject({ diatonic: -1, chromatic: -2 });
  expect(first["Horn 1"]?.transpose).toMatchObject({ diatonic: -4, chromatic: -7 });
  expect(first.Violas?.clef).toMatchObject([{ sign: "C", line: 3 }]);
  expect(first.Timpani?.clef).toMatchObject([{ sign: "F", line: 4 }]);
  expect(score.parts.every((p) => p.measures.length === 32)).toBe(true);
});

// The notes of scores as npm musicxml-io counts them, another reader than the
// server's; its test holds the same figures.
const scores = read("internal/format/musicxml/testdata/pier.counts.json") as Record<string, unknown>;

it.each(Object.keys(scores))("counts the parts, measures, notes and techniques of %s as the server does", (file) => {
  const text = readFileSync(new URL(`internal/format/musicxml/testdata/${file}`, root), "utf8");
  const counts = Object.fromEntries(
    parse(text).parts.map((p) => {
      const notes = p.measures
        .flatMap((m) => m.entries)
        .filter((e) => e.type === "note")
        .filter((n) => n.pitch && !n.grace && !n.ties?.some((t) => t.type === "stop") && n.tie?.type !== "stop");
      const asking = (kind: string, key: string, name: string) =>
        notes.filter((n) =>
          n.notations?.some((x) => x.type === kind && (x as unknown as Record<string, unknown>)[key] === name),
        ).length;
      return [
        p.id,
        {
          measures: p.measures.length,
          notes: notes.length,
          staccato: asking("articulation", "articulation", "staccato"),
          accent: asking("articulation", "articulation", "accent"),
          tremolo: asking("ornament", "ornament", "tremolo"),
        },
      ];
    }),
  );
  expect(counts).toEqual(scores[file]);
});
