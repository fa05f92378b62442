import { readdirSync, readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import ts from "typescript";
import { expect, it } from "vitest";

const root = dirname(fileURLToPath(import.meta.url));
const sources = readdirSync(root, { recursive: true, encoding: "utf8" }).filter(
  (f) => /\.tsx?$/.test(f) && !/(\.test|\.d)\.ts$/.test(f),
);
const parsed = (file: string) =>
  ts.createSourceFile(file, readFileSync(join(root, file), "utf8"), ts.ScriptTarget.Latest, true);

/** Symbols of units and formats are the same in every language. */
const symbols = new Set(
  "dB dBFS dBTP LUFS ms s m min KiB MiB GiB MiB/s Mbit/s Hz kHz f V v R M C L px JSON MIDI gt".split(" "),
);

/** worded tells whether a text has a word that people read. */
const worded = (text: string) => (text.match(/\p{L}[\p{L}/]*/gu) ?? []).some((word) => !symbols.has(word));

/** Keys of a keyboard are named as they are printed on it. */
const keys =
  /^(?:(?:⇧?[A-Z0-9]|Ctrl|Shift|Alt|Space|Escape|Delete|Del|Enter|Tab|Home|End|F1|[↑↓←→?.[\]/])(?:,? |$)|to |and |then |or )*$/;

/** What the style sheet, the drawing or the server reads, and nobody else. */
const code =
  /var\(--|^(?:M\0|url\(|\/api|\.\/|repeat\(|minmax\(|oklch\(|linear-gradient|repeating-linear|color-mix|\0px |3px solid|application\/|text\/|audio\/|Idempotency)|^[a-z-]+:[a-z-]+$/;
const styles = (text: string) =>
  text.split(/\s+/).every((t) => /^[-a-z0-9:[\]/.%()_#,!&>*+='@\0]*$/.test(t)) &&
  /(?:^|\s)[a-z@][a-z0-9@[\]-]*[-:[]/.test(text);

/** Attributes that are not read: everything else on an element is. */
const silent =
  /^(?:className|id|data-.*|type|role|htmlFor|key|value|defaultValue|name|d|viewBox|style|aria-(?:live|hidden|haspopup|controls|labelledby|describedby|current|orientation|sort|modal|autocomplete)|autoComplete|list|accept|fill|stroke|transform|points|href|src|side|align|inputMode|target|rel|download|textAnchor|fontFamily|dominantBaseline|preserveAspectRatio|step|is|of|how|by|part|field|order|shape|preload|within|now|aria-busy|aria-multiselectable|pointerEvents|strokeLinejoin|state|colour|cls|tint|crossOrigin|encType|method|fontStyle|strokeLinecap|vectorEffect|pathLength|mode|asChild|view)$/;

/** Properties whose text is shown. */
const shown = new Set(
  "text title says label hint note what words why told unit about help heading placeholder many".split(" "),
);

/** Calls whose texts are looked up or handed on, and never read by people. */
const lookup =
  /(?:^|\.)(?:GET|POST|PUT|PATCH|DELETE|fetch|querySelector(?:All)?|getContext|addEventListener|removeEventListener|startsWith|endsWith|closest|setAttribute|getAttribute|removeAttribute|setProperty|getPropertyValue|getItem|setItem|removeItem|get|has|delete|split|replace|replaceAll|includes|indexOf|append|createElement|createElementNS|postMessage|matches|matchMedia|toLocaleString|toLocaleDateString|toLocaleTimeString|Intl\.\w+|localeCompare|RegExp|URL|Worker|SharedWorker|Error|register|remember|remembered|toBlob|getEntriesByType|firstRows)$/;

/** text is what a literal says, with a null character for each thing that is filled in. */
function text(node: ts.Node): string | null {
  if (ts.isJsxText(node) || ts.isStringLiteralLike(node)) return node.text;
  if (ts.isTemplateExpression(node))
    return [node.head, ...node.templateSpans.map((s) => s.literal)].map((p) => p.text).join("\0");
  return null;
}

/** isRead tells whether people read a literal, by where it stands. */
function isRead(node: ts.Node, says: string): boolean {
  if (ts.isJsxText(node)) return true;
  const parent = node.parent;
  if (ts.isImportDeclaration(parent) || ts.isExportDeclaration(parent) || ts.isLiteralTypeNode(parent)) return false;
  if (ts.isElementAccessExpression(parent) || ts.isCaseClause(parent) || ts.isTypeOfExpression(parent)) return false;
  if (ts.isPropertyAssignment(parent) && parent.name === node) return false;
  if (ts.isBinaryExpression(parent) && /^(?:[!=]==?|in)$/.test(parent.operatorToken.getText())) return false;
  const sentence = /[\p{L}.,!?:;…\0]\s+\p{L}/u.test(says) || /^\p{Lu}\p{Ll}/u.test(says) || /…$/.test(says);
  for (let child: ts.Node = node, up: ts.Node = parent; up; child = up, up = up.parent) {
    if (ts.isJsxAttribute(up)) return !silent.test(up.name.getText());
    if (ts.isJsxExpression(up) && !ts.isJsxAttribute(up.parent)) return true;
    if ((ts.isCallExpression(up) || ts.isNewExpression(up)) && up.expression !== child) {
      const called = up.expression.getText();
      if (called === "plural") return true;
      if (called === "tell") return up.arguments?.[0] === child;
      return sentence && !lookup.test(called);
    }
    if (ts.isCallExpression(up)) return sentence;
    if (ts.isPropertyAssignment(up)) return sentence || shown.has(up.name.getText());
    if (ts.isConditionalExpression(up) && up.condition === child) return false;
    if (ts.isBlock(up) || ts.isSourceFile(up)) return sentence;
  }
  return sentence;
}

function* outside(file: string): Generator<string> {
  const source = parsed(file);
  const found: string[] = [];
  const walk = (node: ts.Node) => {
    if (ts.isTypeNode(node)) return;
    const says = text(node)?.trim();
    if (says && worded(says) && !keys.test(says) && !code.test(says) && !styles(says) && isRead(node, says)) {
      const { line } = source.getLineAndCharacterOfPosition(node.getStart());
      found.push(`${file}:${line + 1}: ${says.replaceAll("\0", "…")}`);
    }
    ts.forEachChild(node, walk);
  };
  walk(source);
  yield* found;
}

// The strings of the interface stand in the words.ts of their leaf, to be read through at once.
it("has no string of the interface outside the catalogues", () => {
  const files = sources.filter((f) => !f.endsWith("words.ts"));
  expect(files.flatMap((f) => [...outside(f)])).toEqual([]);
});

// A string that nothing shows is read, and one day translated, for nothing.
it("has no string in a catalogue that is not used", () => {
  for (const catalogue of sources.filter((f) => f.endsWith("words.ts"))) {
    const room = dirname(catalogue);
    const users = sources.filter(
      (f) => f !== catalogue && (room === "leaves" ? dirname(f) === room : f.startsWith(`${room}/`)),
    );
    const used = users.map((f) => readFileSync(join(root, f), "utf8")).join("\n");
    const unused: string[] = [];
    const walk = (node: ts.Node, deep: number) => {
      if (ts.isPropertyAssignment(node)) {
        const name = node.name.getText();
        if (deep === 1 && !new RegExp(`\\.${name}\\b`).test(used) && !new RegExp(`"${name}"`).test(used))
          unused.push(name);
        deep++;
      }
      ts.forEachChild(node, (child) => walk(child, deep));
    };
    walk(parsed(catalogue), 0);
    expect(unused, catalogue).toEqual([]);
  }
});
