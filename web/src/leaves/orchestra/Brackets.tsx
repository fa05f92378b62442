import { useMemo } from "react";
import type { Line } from "../../model/score";
import { useApp } from "../../model/store";
import { tintOf, tintVar } from "../../model/template";
import { words } from "./words";

const say = words.brackets;

interface Props {
  all: readonly Line[];
  lineHeight: number;
  from: number;
  to: number;
}

/** Brackets draws the sections down the left margin as on a score page: a
 * bracket for a section, braces for those nested in it. */
export function Brackets({ all, lineHeight, from, to }: Props) {
  const sheet = useApp((s) => s.sheet)!;
  const sections = useMemo(() => all.flatMap((line, n) => (line.kind === "section" ? [{ line, n }] : [])), [all]);
  const deepest = sections.reduce((n, { line }) => Math.max(n, line.depth), 1);
  const step = Math.min(14, 28 / deepest); // they end before the rows' states
  const drawn = sections.flatMap(({ line, n }) => {
    if (n > to || line.end < from) return [];
    const top = (line.depth === 0 ? n : n + 1) * lineHeight + 3;
    const height = (line.end + 1) * lineHeight - 3 - top;
    if (height < lineHeight / 2) return [];
    const key = line.section.id;
    return [
      line.depth === 0 ? (
        <Bracket key={key} top={top} height={height} />
      ) : (
        <Brace key={key} top={top} height={height} left={14 + step * line.depth} tint={tintVar(tintOf(sheet, key))} />
      ),
    ];
  });
  return (
    <div aria-hidden="true" className="pointer-events-none absolute inset-0 z-10">
      {drawn}
    </div>
  );
}

function Bracket({ top, height }: { top: number; height: number }) {
  return (
    <svg className="absolute" style={{ top, left: 12 }} width="12" height={height}>
      <title>{say.section}</title>
      <path
        d={`M11 1.2C7 1.6 4 2.6 3 4.5V${height - 4.5}C4 ${height - 2.6} 7 ${height - 1.6} 11 ${height - 1.2}`}
        fill="none"
        stroke="var(--ink)"
        strokeWidth="2.4"
      />
    </svg>
  );
}

function Brace({ top, height, left, tint }: { top: number; height: number; left: number; tint: string }) {
  const h = height;
  const m = h / 2;
  const r = Math.min(8, h / 4);
  return (
    <svg className="absolute" style={{ top, left }} width="12" height={h}>
      <title>{say.section}</title>
      <path
        d={`M10 1C6 1 6 ${r} 6 ${r + 2}V${m - r}C6 ${m - 3} 4 ${m} 1.5 ${m}C4 ${m} 6 ${m + 3} 6 ${m + r}V${h - r - 2}C6 ${h - r} 6 ${h - 1} 10 ${h - 1}`}
        fill="none"
        stroke={tint}
        strokeWidth="1.8"
      />
    </svg>
  );
}
