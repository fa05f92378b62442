import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import type { Id, Schemas } from "../../model/api";
import { takeHall } from "../../model/balance";
import { change } from "../../model/changing";
import { computed } from "../../model/queries";
import { within } from "../../model/score";
import { get, select, useApp } from "../../model/store";
import { db, panText, pathOf, type Sheet, tintOf, tintVar } from "../../model/template";
import { useSize } from "../../parts/useSize";
import { words } from "./words";

const say = words.hallView;

type Standing = Schemas["Standing"];
type Stage = Schemas["StagePlan"];

const reach = { x: 11, back: 18, front: -1 }; // of the drawing, m
const rooms: Record<string, string> = { dry: say.dry, stage: say.stage, hall: say.hall, "": say.roomNotSaid };

/** HallView draws the hall from above: who sits where, and what follows for each section. */
export function HallView() {
  const sheet = useApp((s) => s.sheet)!;
  const { data } = useQuery(computed.hall(sheet.id, sheet.revision));
  const frame = useRef<HTMLDivElement>(null);
  const width = useSize(frame)?.width ?? 600;
  const [chosen, setChosen] = useState<Id | null>(null);
  const [drag, setDrag] = useState<{ id: Id; x: number; y: number } | null>(null);
  if (!data) return <div ref={frame} className="min-h-0 flex-1" />;
  const wide = width > 820;
  const room = Math.min(wide ? width - 440 : width - 24, 560);
  const scale = room / (2 * reach.x);
  const height = (reach.back - reach.front) * scale;
  const px = (x: number) => (x + reach.x) * scale;
  const py = (y: number) => (reach.back - y) * scale;
  const keep = (stage: Stage) => {
    const { name, settings } = get().sheet!;
    return change({ kind: "configure", name, settings: { ...settings, stage } });
  };
  const put = async (section: Id, x: number, y: number) => {
    const place = {
      section,
      x: Math.round(Math.max(-reach.x, Math.min(reach.x, x)) * 10) / 10,
      y: Math.round(Math.max(0.5, Math.min(reach.back, y)) * 10) / 10,
    };
    const others = (data.stage.areas ?? []).filter((a) => a.section !== section);
    await keep({ ...data.stage, areas: [...others, place] });
  };
  const move = (e: PointerEvent<SVGGElement>, s: Standing) => {
    if (!e.currentTarget.hasPointerCapture(e.pointerId)) return;
    const at = drag?.id === s.section ? drag : { id: s.section, x: s.x, y: s.y };
    setDrag({ ...at, x: at.x + e.movementX / scale, y: at.y - e.movementY / scale });
  };
  const drop = async (s: Standing) => {
    if (drag?.id !== s.section) return;
    if (Math.hypot(drag.x - s.x, drag.y - s.y) > 0.1) await put(s.section, drag.x, drag.y);
    setDrag(null);
  };
  const keys = (e: KeyboardEvent, s: Standing) => {
    const step = { ArrowLeft: [-0.5, 0], ArrowRight: [0.5, 0], ArrowUp: [0, 0.5], ArrowDown: [0, -0.5] }[e.key];
    if (!step) return;
    e.preventDefault();
    e.stopPropagation();
    void put(s.section, s.x + step[0]!, s.y + step[1]!);
  };
  const pick = (s: Standing) => {
    setChosen(s.section);
    const rows = within(sheet, s.section);
    select(rows, rows[0] ?? null);
  };
  return (
    <div ref={frame} className="min-h-0 flex-1 overflow-y-auto" data-part="hall">
      <HallHead stage={data.stage} halls={data.halls} criticalM={data.criticalM} keep={keep} />
      <div className={wide ? "flex" : ""}>
        <svg
          width={room}
          height={height}
          className="m-3 shrink-0 touch-none select-none"
          role="group"
          aria-label={say.theHallFromAbove}
        >
          <path d={`M0 ${py(0)}L${px(-reach.x + 1)} 0H${px(reach.x - 1)}L${room} ${py(0)}Z`} fill="var(--band)" />
          {[5, 10, 15].map((m) => (
            <g key={m}>
              <circle cx={px(0)} cy={py(0)} r={m * scale} fill="none" stroke="var(--line)" />
              <text x={px(0)} y={py(m) - 3} textAnchor="middle" fontSize={11} fill="var(--soft)">
                {m} m
              </text>
            </g>
          ))}
          <circle
            cx={px(0)}
            cy={py(0)}
            r={data.criticalM * scale}
            fill="none"
            stroke="var(--accent)"
            strokeDasharray="4 4"
          >
            <title>{say.withinMTheDirectSound(data.criticalM.toFixed(1))}</title>
          </circle>
          <path d={`M${px(0) - 6} ${py(0)}h12M${px(0)} ${py(0) - 6}v12`} stroke="var(--ink)" strokeWidth={1.5}>
            <title>{say.theMicrophones}</title>
          </path>
          {data.sections.map((s) => {
            const at = drag?.id === s.section ? drag : s;
            const name = sheet.sections.byId.get(s.section)?.name ?? "";
            const r = (0.75 + Math.min(0.75, s.rows / 50)) * scale;
            return (
              <g
                key={s.section}
                role="button"
                tabIndex={0}
                data-area={s.section}
                aria-label={say.mOffTheArrowKeys(name, s.distanceM.toFixed(1))}
                className="cursor-grab focus-visible:outline-none"
                onPointerDown={(e) => {
                  e.currentTarget.setPointerCapture(e.pointerId);
                  pick(s);
                }}
                onPointerMove={(e) => move(e, s)}
                onPointerUp={() => void drop(s)}
                onKeyDown={(e) => keys(e, s)}
                onFocus={() => setChosen(s.section)}
              >
                <ellipse
                  cx={px(at.x)}
                  cy={py(at.y)}
                  rx={r * 1.35}
                  ry={r * 0.72}
                  fill={tintVar(tintOf(sheet, s.section))}
                  stroke={chosen === s.section ? "var(--accent)" : "var(--paper)"}
                  strokeWidth={chosen === s.section ? 2.5 : 1}
                />
                <text x={px(at.x)} y={py(at.y) + 4} textAnchor="middle" fontSize={11} fill="var(--ink)">
                  {name}
                </text>
              </g>
            );
          })}
        </svg>
        <Figures wide={wide} sheet={sheet} sections={data.sections} chosen={chosen} pick={pick} />
      </div>
    </div>
  );
}

function HallHead({
  stage,
  halls,
  criticalM,
  keep,
}: {
  stage: Stage;
  halls: Schemas["Hall"]["halls"];
  criticalM: number;
  keep: (s: Stage) => unknown;
}) {
  const preset = halls.find((h) => h.stage.volumeM3 === stage.volumeM3 && h.stage.decayS === stage.decayS);
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5 border-line border-b px-3 py-2">
      <select
        className="field"
        aria-label={say.theHall}
        value={preset?.name ?? ""}
        onChange={(e) => {
          const h = halls.find((x) => x.name === e.target.value);
          if (h) void keep({ ...stage, volumeM3: h.stage.volumeM3, decayS: h.stage.decayS });
        }}
      >
        {!preset && <option value="">{say.yourOwnHall}</option>}
        {halls.map((h) => (
          <option key={h.name}>{h.name}</option>
        ))}
      </select>
      <Setting
        label={say.volumeM}
        value={stage.volumeM3}
        min={20}
        max={200000}
        keep={(volumeM3) => keep({ ...stage, volumeM3 })}
      />
      <Setting
        label={say.decayS}
        value={stage.decayS}
        min={0.1}
        max={15}
        keep={(decayS) => keep({ ...stage, decayS })}
      />
      <span className="text-soft">{say.theHallIsAsLoud(criticalM.toFixed(1))}</span>
      <button type="button" className="button button-main ml-auto" onClick={() => void takeHall([])}>
        {say.setSendsAndPans}
      </button>
    </div>
  );
}

function Setting({
  label,
  value,
  min,
  max,
  keep,
}: {
  label: string;
  value: number;
  min: number;
  max: number;
  keep: (x: number) => unknown;
}) {
  return (
    <label className="flex items-center gap-1.5">
      {label}
      <input
        key={value}
        className="field w-20"
        type="number"
        min={min}
        max={max}
        step="any"
        defaultValue={value}
        onBlur={(e) => {
          const x = Number(e.target.value);
          if (x >= min && x <= max && x !== value) void keep(x);
          else e.target.value = String(value);
        }}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
    </label>
  );
}

function Figures({
  wide,
  sheet,
  sections,
  chosen,
  pick,
}: {
  wide: boolean; // otherwise its columns stand close
  sheet: Sheet;
  sections: readonly Standing[];
  chosen: Id | null;
  pick: (s: Standing) => void;
}) {
  return (
    <table
      className={`m-3 min-w-0 flex-1 border-collapse self-start ${wide ? "" : "[&_td+td]:pl-3 [&_th+th]:pl-3"}`}
      data-part="standings"
    >
      <thead>
        <tr className="text-right text-soft">
          <th className="py-1 text-left font-normal">{say.section}</th>
          <th className="font-normal">{say.off}</th>
          <th className="font-normal">{say.delay}</th>
          <th className="font-normal">{say.direct}</th>
          <th className="font-normal">{say.pan}</th>
          <th className="pl-3 text-left font-normal">{say.send}</th>
        </tr>
      </thead>
      <tbody>
        {sections.map((s) => (
          <tr
            key={s.section}
            className={`cursor-default border-line border-t text-right tabular-nums ${chosen === s.section ? "bg-chosen" : ""}`}
            onClick={() => pick(s)}
            title={say.itsDirectSoundIsRelative(pathOf(sheet, s.section), db(s.levelDb), s.airDb.toFixed(1))}
          >
            <td className="truncate text-left">{sheet.sections.byId.get(s.section)?.name}</td>
            <td>{s.distanceM.toFixed(1)} m</td>
            <td>{s.delayMs.toFixed(0)} ms</td>
            <td>{db(Math.round(s.directDb * 10) / 10)}</td>
            <td>{panText(s.pan)}</td>
            <td className="pl-3 text-left">
              {s.sends.map((x) => (
                <span key={x.room} className="mr-2 whitespace-nowrap">
                  {x.none ? say.nothingToAdd : db(x.level)} <span className="text-soft">{rooms[x.room]}</span>
                </span>
              ))}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
