import { useRef } from "react";
import type { Schemas } from "../../model/api";
import { called, type Film } from "../../model/film";
import { timecode } from "../../model/timecode";
import { useSize } from "../../parts/useSize";
import { words } from "./words";

const say = words.ribbons;

type Match = Schemas["ReelMatch"];
type Verdict = Schemas["CueVerdict"];

const height = 140;
const band = 16; // of a film
const tints = { kept: "var(--tint-moss)", moved: "var(--tint-clay)", repeated: "var(--tint-heather)" } as const;

/** Ribbons draws how the picture of a reel became another: the old film above, the new one below,
 * and a ribbon for every piece; the cues lie on both. */
export function Ribbons({ film, match, verdicts }: { film: Film; match: Match; verdicts: readonly Verdict[] }) {
  const box = useRef<HTMLDivElement>(null);
  const width = Math.max(200, (useSize(box)?.width ?? 900) - 8);
  const from = Math.min(match.old.start, match.new.start);
  const long = Math.max(1, Math.max(match.old.end, match.new.end) - from);
  const x = (frame: number) => 4 + ((frame - from) / long) * (width - 8);
  const top = 30;
  const bottom = height - 26 - band;
  const reel = film.reels.find((r) => r.id === match.reel);
  const frame = film.settings.frame;
  const cues = verdicts.flatMap((v) =>
    film.cues.filter((c) => c.id === v.cue && c.reel === match.reel).map((c) => ({ c, v })),
  );
  return (
    <div ref={box} data-part="ribbons" data-reel={reel?.name}>
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={say.reelFromTheOldCut(reel?.name ?? "")}
        className="block"
      >
        <title>{say.reelTheOldCutAbove(reel?.name ?? "")}</title>
        <rect
          x={x(match.old.start)}
          y={top}
          width={x(match.old.end) - x(match.old.start)}
          height={band}
          fill="var(--line)"
        />
        <rect
          x={x(match.new.start)}
          y={bottom}
          width={x(match.new.end) - x(match.new.start)}
          height={band}
          fill="var(--line)"
        />
        {match.pieces.map((p) => (
          <path
            key={`${p.old.start} ${p.new.start}`}
            d={`M${x(p.old.start)} ${top + band}H${x(p.old.end)}L${x(p.new.end)} ${bottom}H${x(p.new.start)}Z`}
            fill={tints[p.how]}
            opacity={p.unsure ? 0.25 : 0.5}
          >
            <title>{say.to(timecode(frame, p.old.start), timecode(frame, p.new.start), p.how)}</title>
          </path>
        ))}
        {match.gone.map((g) => (
          <rect
            key={g.start}
            x={x(g.start)}
            y={top}
            width={Math.max(1.5, x(g.end) - x(g.start))}
            height={band}
            fill="var(--accent)"
            opacity={0.75}
          >
            <title>{say.goneTo(timecode(frame, g.start), timecode(frame, g.end))}</title>
          </rect>
        ))}
        {match.fresh.map((g) => (
          <rect
            key={g.start}
            x={x(g.start)}
            y={bottom}
            width={Math.max(1.5, x(g.end) - x(g.start))}
            height={band}
            fill="var(--tint-petrol)"
          >
            <title>{say.newTo(timecode(frame, g.start), timecode(frame, g.end))}</title>
          </rect>
        ))}
        {cues.map(({ c, v }) => (
          <g key={c.id}>
            <title>{called(c)}</title>
            <rect
              x={x(c.start)}
              y={top - 17}
              width={Math.max(2, x(c.end) - x(c.start))}
              height={14}
              fill="var(--paper)"
              stroke="var(--soft)"
              rx={2}
            />
            <text x={x(c.start) + 3} y={top - 6} fontSize={10} fill="var(--ink)">
              {x(c.end) - x(c.start) > 30 ? c.number : ""}
            </text>
            {v.kind !== "gone" && (
              <rect
                x={x(v.start)}
                y={bottom + band + 3}
                width={Math.max(2, x(v.end) - x(v.start))}
                height={14}
                fill="var(--paper)"
                stroke={v.kind === "changed" ? "var(--accent)" : "var(--soft)"}
                strokeWidth={v.kind === "changed" ? 1.6 : 1}
                rx={2}
              />
            )}
          </g>
        ))}
        <text x={4} y={10} fontSize={10} fill="var(--soft)">
          {say.rBefore(reel?.name ?? "")}
        </text>
        <text x={4} y={height - 1} fontSize={10} fill="var(--soft)">
          {say.rNow(reel?.name ?? "")}
        </text>
      </svg>
    </div>
  );
}
