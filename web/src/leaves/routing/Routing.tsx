import { useQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import type { Id } from "../../model/api";
import { computed } from "../../model/queries";
import { within } from "../../model/score";
import { select, set, useApp } from "../../model/store";
import { db, tintVar } from "../../model/template";
import { LeafHead } from "../../parts/LeafHead";
import { useSize } from "../../parts/useSize";
import { Inspector } from "./Inspector";
import { type Drawing, draw, type Flow, type Node, ribbonPath, through } from "./layout";
import { NewBus } from "./NewBus";
import { Sums } from "./Sums";

export function Routing() {
  const sheet = useApp((s) => s.sheet)!;
  const bus = useApp((s) => s.bus);
  const { data } = useQuery(computed.routing(sheet.id, sheet.revision));
  const frame = useRef<HTMLDivElement>(null);
  const size = useSize(frame);
  const drawing = useMemo(() => data && size && draw(sheet, data, size.height), [sheet, data, size?.height]);
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LeafHead title="Routing" note={`${sheet.folds.byId.get(sheet.folds.order[0] ?? "")?.name ?? ""} fold`}>
        <NewBus />
      </LeafHead>
      <div className="@container flex min-h-0 flex-1 flex-col">
        <div className="flex min-h-0 flex-1 flex-col @min-[900px]:flex-row">
          <div ref={frame} className="min-h-0 min-w-0 flex-1 overflow-y-auto overflow-x-hidden" data-part="ribbons">
            {sheet.instruments.order.length === 0 && sheet.buses.order.length <= 2 && (
              <p className="p-6 text-soft">
                Here sound flows from instruments through groups and stems to the mix. Bring in a row list that names
                stems, or make a stem with New bus, then send instruments to it.
              </p>
            )}
            {drawing && size && <Picture drawing={drawing} width={size.width} chosen={bus} />}
          </div>
          <Inspector />
        </div>
      </div>
      {data && <Sums sums={data.sums} />}
    </div>
  );
}

/** xOf spreads the columns: labels need room left of the first and right of
 * the fine stems; groups stand as bare bars in a narrow leaf. */
function xOf(width: number, columns: number): number[] {
  const wide = width > 640;
  const shares = wide ? [0.13, 0.34, 0.57, 0.8, 0.93, 0.98] : [0.24, 0.42, 0.56, 0.89, 0.945, 0.988];
  return shares.slice(0, columns).map((s) => s * width);
}

function Picture({ drawing, width, chosen }: { drawing: Drawing; width: number; chosen: Id | null }) {
  const [hover, setHover] = useState<Id | null>(null);
  const selection = useApp((s) => s.selection);
  const sheet = useApp((s) => s.sheet)!;
  const x = xOf(width, drawing.columns);
  const follow = hover ?? chosen;
  const lit = useMemo(() => (follow ? through(drawing, follow) : null), [drawing, follow]);
  const touched = useMemo(() => {
    const ids = new Set<Id>();
    for (const id of selection) ids.add(sheet.instruments.byId.get(id)?.section ?? "");
    return ids;
  }, [selection, sheet.instruments]);
  const faded = (f: Flow) => lit && !(lit.has(f.from.id) && lit.has(f.to.id));
  return (
    <svg width={width} height={drawing.height} role="group" aria-label="Routing from instruments to the mix">
      {drawing.flows.map((f) => (
        // biome-ignore lint/a11y/noStaticElementInteractions: hovering only follows; the nodes are the buttons
        <path
          key={f.key}
          d={ribbonPath(x[f.from.column]! + 4, x[f.to.column]!, f)}
          fill={tintVar(f.from.tint)}
          stroke={f.ribbon.send ? "var(--soft)" : "none"}
          strokeDasharray="2 3"
          opacity={faded(f) ? 0.08 : touched.has(f.from.id) || (lit && !faded(f)) ? 0.85 : f.ribbon.send ? 0.18 : 0.45}
          onMouseEnter={() => setHover(f.from.id)}
          onMouseLeave={() => setHover(null)}
        >
          <title>{flowText(f)}</title>
        </path>
      ))}
      {drawing.nodes.map((n) => (
        <Place
          key={n.id}
          node={n}
          x={x[n.column]!}
          width={width}
          chosen={chosen === n.id}
          dim={lit !== null && !lit.has(n.id)}
          setHover={setHover}
        />
      ))}
    </svg>
  );
}

function flowText({ from, to, ribbon: r }: Flow): string {
  const level = r.lowDb === r.highDb ? db(r.lowDb) : `${db(r.lowDb)} to ${db(r.highDb)}`;
  return `${from.name} to ${to.name}: ${r.count} instruments, ${level}, ${r.tap === "pre" ? "before" : "after"} the fader`;
}

interface PlaceProps {
  node: Node;
  x: number;
  width: number;
  chosen: boolean;
  dim: boolean;
  setHover: (id: Id | null) => void;
}

/** Place is one node: a click chooses the bus, or selects the section. */
function Place({ node, x, width, chosen, dim, setHover }: PlaceProps) {
  const sheet = useApp((s) => s.sheet)!;
  const choose = () => {
    if (node.kind === "section") {
      const ids = within(sheet, node.id);
      select(ids, ids[0] ?? null);
      set({ bus: null });
    } else set({ bus: chosen ? null : node.id });
  };
  const narrow = width <= 640;
  const bare = narrow && (node.column === 1 || node.column === 3 || node.kind === "speakers");
  const left = node.column === 0;
  const turned = node.kind === "mix" || node.kind === "speakers";
  const label = `${node.name}, ${node.count} instruments`;
  return (
    <g
      role="button"
      tabIndex={bare ? -1 : 0}
      aria-label={label}
      aria-pressed={chosen}
      data-node={node.name}
      data-kind={node.kind}
      onClick={choose}
      onKeyDown={(e) => {
        if (e.key === "Enter" || e.key === " ") {
          e.preventDefault();
          choose();
        }
      }}
      onMouseEnter={() => setHover(node.id)}
      onMouseLeave={() => setHover(null)}
      opacity={dim ? 0.35 : 1}
      className="cursor-pointer"
    >
      <title>{label}</title>
      <rect x={x - 6} y={node.y - 3} width={left ? 16 : 24} height={node.h + 6} fill="transparent" />
      <rect
        x={x}
        y={node.y}
        width={left ? 2 : 3.5}
        height={node.h}
        fill={chosen ? "var(--accent)" : left ? tintVar(node.tint) : "var(--ink)"}
      />
      {!bare && !turned && (
        <text
          x={left ? x - 6 : x + 9}
          y={node.y + node.h / 2}
          dominantBaseline="central"
          textAnchor={left ? "end" : "start"}
          fontSize="12.5"
          fontWeight={chosen ? 650 : 450}
          fill="var(--ink)"
        >
          {short(node.name, left ? 13 : 20)}
        </text>
      )}
      {turned && !bare && (
        <text
          x={x + 10}
          y={node.y + node.h / 2}
          transform={`rotate(90 ${x + 10} ${node.y + node.h / 2})`}
          textAnchor="middle"
          dominantBaseline="central"
          fontSize="12"
          fontWeight="600"
          fill="var(--ink)"
        >
          {node.name}
        </text>
      )}
    </g>
  );
}

function short(name: string, most: number): string {
  return name.length > most ? `${name.slice(0, most - 1)}…` : name;
}
