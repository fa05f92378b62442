import { useMemo } from "react";
import type { Id } from "../model/api";
import { useApp } from "../model/store";
import { tintOf } from "../model/template";
import type { GlassPart } from "./MemoryGlass";
import { words } from "./words";

const say = words.useGlass;

/** useGlass shares out what each host reports in use among the top sections
 * of its ready instruments; what belongs to players stays plain. */
export function useGlass(): Map<Id, GlassPart[]> {
  const sheet = useApp((s) => s.sheet)!;
  const states = useApp((s) => s.states);
  const rig = useApp((s) => s.rig);
  return useMemo(() => {
    const out = new Map<Id, Map<string, GlassPart>>();
    for (const s of states.values()) {
      const i = sheet.instruments.byId.get(s.id);
      if (s.state === "failed" || s.state === "printed" || !i?.seat) continue;
      if (s.state === "tuning" && s.progress === 0) continue; // it waits its turn
      let top = sheet.sections.byId.get(i.section);
      while (top?.parent) top = sheet.sections.byId.get(top.parent);
      const parts = out.get(i.seat.machine) ?? new Map<string, GlassPart>();
      out.set(i.seat.machine, parts);
      const part = parts.get(top?.id ?? "") ?? { tint: tintOf(sheet, i.section), name: top?.name ?? "", mib: 0 };
      part.mib += sheet.facts.get(i.id)?.readyMib ?? 0;
      parts.set(top?.id ?? "", part);
    }
    const list = new Map<Id, GlassPart[]>();
    for (const m of sheet.machines.order) {
      const parts = [...(out.get(m)?.values() ?? [])];
      const rest = (rig.get(m)?.usedMib ?? 0) - parts.reduce((n, p) => n + p.mib, 0);
      const others = Math.min(rest, rig.get(m)?.othersMib ?? 0);
      if (rest - others > 1) parts.push({ tint: "grey", name: say.players, mib: rest - others });
      if (others > 1) parts.push({ tint: "grey", name: say.otherTemplates, mib: others, elsewhere: true });
      list.set(m, parts);
    }
    return list;
  }, [sheet, states, rig]);
}
