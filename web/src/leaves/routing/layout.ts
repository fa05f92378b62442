import type { Id, Schemas } from "../../model/api";
import { type Sheet, things, tintOf } from "../../model/template";

/** Node is one place of the routing picture: a section with its own
 * instruments, or a bus. */
export interface Node {
  id: Id;
  name: string;
  column: number;
  y: number;
  h: number;
  count: number;
  tint: string;
  kind: "section" | Schemas["Bus"]["kind"];
}

/** Flow is a ribbon between two nodes, with where it leaves and arrives. */
export interface Flow {
  key: string;
  from: Node;
  to: Node;
  y1: number;
  y2: number;
  h: number;
  ribbon: Schemas["Ribbon"];
}

export interface Drawing {
  nodes: Node[];
  flows: Flow[];
  height: number;
  columns: number;
}

const gap = 4;
const least = 10; // a node's label needs this much

/** columnOf stands a bus where sound meets it: groups and returns, fine
 * stems, coarser stems, mix and speakers. */
function columnOf(sheet: Sheet, b: Schemas["Bus"]): number {
  const folds = sheet.folds.order.length;
  if (b.kind === "group" || b.kind === "return") return 1;
  if (b.kind === "stem") return 2 + Math.max(0, sheet.folds.order.indexOf(b.fold ?? ""));
  return b.kind === "mix" ? 2 + folds : 3 + folds;
}

/** draw lays the routing out in columns from left to right. Thickness is the
 * number of instruments. */
export function draw(sheet: Sheet, routing: Schemas["Routing"], room: number): Drawing {
  const nodes = new Map<Id, Node>();
  const columns: Node[][] = [];
  const add = (n: Omit<Node, "y" | "h">) => {
    const node = { ...n, y: 0, h: 0 };
    nodes.set(n.id, node);
    columns[n.column] ??= [];
    columns[n.column]!.push(node);
  };
  for (const s of routing.sections ?? []) {
    const section = sheet.sections.byId.get(s.id);
    if (section)
      add({ id: s.id, name: section.name, column: 0, count: s.count, tint: tintOf(sheet, s.id), kind: "section" });
  }
  const counts = new Map(routing.buses.map((b) => [b.id, b.count]));
  for (const b of things(sheet.buses)) {
    add({
      id: b.id,
      name: b.name,
      column: columnOf(sheet, b),
      count: counts.get(b.id) ?? 0,
      tint: tintOf(sheet, b.section),
      kind: b.kind,
    });
  }
  for (let k = 0; k < columns.length; k++) columns[k] ??= []; // there may be no groups at all
  untangle(columns, nodes, routing.ribbons);
  const height = place(columns, room);
  return { nodes: [...nodes.values()], flows: flows(nodes, routing.ribbons), height, columns: columns.length };
}

/** untangle orders each column by where its sound comes from, so that few
 * ribbons cross. Returns stand below what is fed directly. */
function untangle(columns: Node[][], nodes: Map<Id, Node>, ribbons: Schemas["Ribbon"][]) {
  const feeding = new Map<Id, Schemas["Ribbon"][]>();
  for (const r of ribbons) {
    if (!feeding.has(r.to)) feeding.set(r.to, []);
    feeding.get(r.to)!.push(r);
  }
  const at = new Map<Id, number>();
  const number = (column: Node[]) => column.forEach((n, k) => void at.set(n.id, k / column.length));
  const middle = (n: Node): number => {
    const from = (feeding.get(n.id) ?? []).filter((r) => nodes.get(r.from)?.kind !== "return");
    const count = from.reduce((sum, r) => sum + r.count, 0);
    if (count === 0) return 2; // fed by nothing, or by returns alone
    return from.reduce((sum, r) => sum + (at.get(r.from) ?? 1) * r.count, 0) / count;
  };
  columns.forEach((column, k) => {
    if (k > 0) {
      const rank = new Map(column.map((n) => [n.id, (n.kind === "return" ? 10 : 0) + middle(n)]));
      column.sort((a, b) => rank.get(a.id)! - rank.get(b.id)!);
    }
    number(column);
  });
}

function place(columns: Node[][], room: number): number {
  const most = Math.max(1, ...columns.map((c) => c.length));
  const height = Math.max(room, most * (least + gap) + 24);
  for (const column of columns) {
    const total = column.reduce((n, x) => n + Math.max(1, x.count), 0);
    const free = height - 24 - column.length * (least + gap);
    const single = column.length === 1;
    let y = single ? height * 0.3 : 12;
    for (const n of column) {
      n.y = y;
      n.h = single ? height * 0.4 : least + (free * Math.max(1, n.count)) / total;
      y += n.h + gap;
    }
  }
  return height;
}

function flows(nodes: Map<Id, Node>, ribbons: Schemas["Ribbon"][]): Flow[] {
  const out: Flow[] = [];
  for (const r of ribbons) {
    const from = nodes.get(r.from);
    const to = nodes.get(r.to);
    if (from && to) out.push({ key: `${r.from}>${r.to}`, from, to, y1: 0, y2: 0, h: 1, ribbon: r });
  }
  share(
    out,
    (f) => f.from,
    (f) => f.to,
    (f, y) => (f.y1 = y),
  );
  share(
    out,
    (f) => f.to,
    (f) => f.from,
    (f, y, h) => {
      f.y2 = y;
      f.h = Math.min(f.h, h);
    },
  );
  return out;
}

/** share gives each ribbon its part of a node's height, in the order of the
 * nodes at the other ends. */
function share(
  all: Flow[],
  at: (f: Flow) => Node,
  other: (f: Flow) => Node,
  give: (f: Flow, y: number, h: number) => void,
) {
  const by = new Map<Node, Flow[]>();
  for (const f of all) {
    const list = by.get(at(f)) ?? [];
    list.push(f);
    by.set(at(f), list);
  }
  for (const [node, list] of by) {
    list.sort((a, b) => other(a).y - other(b).y);
    const total = list.reduce((n, f) => n + Math.max(1, f.ribbon.count), 0);
    let y = node.y;
    for (const f of list) {
      const h = (node.h * Math.max(1, f.ribbon.count)) / total;
      if (at(f) === f.from) f.h = h;
      give(f, y, h);
      y += h;
    }
  }
}

/** ribbonPath is the outline of a flow between two x positions. */
export function ribbonPath(x1: number, x2: number, f: Flow): string {
  const m = (x1 + x2) / 2;
  return `M${x1} ${f.y1}C${m} ${f.y1} ${m} ${f.y2} ${x2} ${f.y2}V${f.y2 + f.h}C${m} ${f.y2 + f.h} ${m} ${f.y1 + f.h} ${x1} ${f.y1 + f.h}Z`;
}

/** through follows one node both ways: every node its sound comes from or
 * goes to. */
export function through(d: Drawing, start: Id): Set<Id> {
  const out = new Set([start]);
  for (const forward of [true, false]) {
    const queue = [start];
    while (queue.length) {
      const at = queue.pop()!;
      for (const f of d.flows) {
        const [a, b] = forward ? [f.from.id, f.to.id] : [f.to.id, f.from.id];
        if (a === at && !out.has(b)) {
          out.add(b);
          queue.push(b);
        }
      }
    }
  }
  return out;
}
