import { type RefObject, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import type { Id } from "../../model/api";
import { busKind } from "../../model/buskinds";
import { change } from "../../model/changing";
import { within } from "../../model/score";
import { get, select, set, tell, useApp } from "../../model/store";
import { db, mostNested } from "../../model/template";
import { type PlaceActs, PlaceMark } from "./PlaceMark";
import { along, isBus, type Picture, type Place, placeOf, type Ribbon, through, xOf } from "./picture";
import { RibbonCanvas } from "./RibbonCanvas";
import { words } from "./words";

const say = words.ribbons;

interface Props {
  picture: Picture;
  width: number;
  height: number;
  scroller: RefObject<HTMLDivElement | null>;
  toggle: (id: Id) => void;
}

/** Ribbons is the routing from instruments to the speakers. Hovering follows
 * one ribbon; places are dragged, or wired by keyboard, onto others. */
export function Ribbons({ picture, width, height, scroller, toggle }: Props) {
  const chosen = useApp((s) => s.bus);
  const selection = useApp((s) => s.selection);
  const sheet = useApp((s) => s.sheet)!;
  const { top, moving } = useScroll(scroller);
  // with room for places to come into view
  const from = Math.max(0, top - stride);
  const to = Math.min(picture.height, top + height + 2 * stride);
  const [hovered, setHover] = useState<number>(-1); // a place
  const [over, setRibbon] = useState<Ribbon | null>(null);
  const text = useRef<HTMLDivElement>(null); // follows the pointer without drawing anything again
  const [held, setWiring] = useState<number>(-1); // a place whose wire is held
  // what was pointed at in an earlier picture may not be in this one
  const there = (n: number) => (n < picture.places.length ? n : -1);
  const hover = there(hovered);
  const wiring = there(held);
  const ribbon = useMemo(() => (over && picture.ribbons.includes(over) ? over : null), [picture, over]);
  const x = useMemo(() => xOf(width, picture.columns), [width, picture.columns]);
  const followed = hover >= 0 ? hover : placeOf(picture, chosen);
  const lit = useMemo(() => {
    if (ribbon) return along(picture, ribbon);
    return followed >= 0 ? through(picture, followed) : null;
  }, [picture, followed, ribbon]);
  const touched = useMemo(() => touchedPlaces(picture, selection), [picture, selection, sheet.instruments]);
  const choose = (n: number) => {
    const p = picture.places[n]!;
    if (wiring >= 0 && wiring !== n) {
      connect(picture.places[wiring]!, p);
      return setWiring(-1);
    }
    if (p.kind === "section") {
      const ids = within(sheet, p.id);
      select(ids, ids[0] ?? null);
      set({ bus: null });
    } else if (p.kind === "instrument") {
      select([p.id], p.id);
      set({ bus: null });
    } else if (isBus(p)) set({ bus: chosen === p.id ? null : p.id });
    else toggle(p.id);
  };
  const box = useRef<HTMLDivElement>(null);
  // what is not followed fades; done by hand, since it happens at every move
  useLayoutEffect(() => {
    for (const el of box.current?.querySelectorAll<HTMLElement>("[data-place]") ?? []) {
      el.toggleAttribute("data-faint", lit !== null && !lit.has(Number(el.dataset.place)));
    }
  });
  // the same for the life of the picture, so that places are not drawn again
  const now = useRef({ picture, choose, toggle });
  now.current = { picture, choose, toggle };
  const acts = useMemo<PlaceActs>(
    () => ({
      hover: (n) => (n < 0 || !moving.current) && setHover(n),
      wire: setWiring,
      choose: (n) => now.current.choose(n),
      toggle: (id) => now.current.toggle(id),
      drop: (from, n) => {
        const { places } = now.current.picture;
        const source = places.find((o) => o.id === from);
        if (source) connect(source, places[n]!);
      },
    }),
    [],
  );
  return (
    <div ref={box} className="relative" style={{ height: picture.height }}>
      <RibbonCanvas
        picture={picture}
        x={x}
        width={width}
        from={top}
        to={Math.min(picture.height, top + height + stride)}
        lit={lit}
        touched={touched}
        hover={(r, at) => {
          if (r && moving.current) return;
          setRibbon(r);
          if (text.current) {
            text.current.style.left = `${Math.min(at.x + 14, innerWidth - 330)}px`;
            text.current.style.top = `${at.y + 14}px`;
          }
        }}
        choose={(r) => choose(r.to)}
      />
      {picture.places.map(
        (p, n) =>
          p.y + p.h > from &&
          p.y < to && (
            <PlaceMark
              key={p.id}
              place={p}
              number={n}
              x={x[p.column]!}
              narrow={width <= 640}
              room={(x[p.column + 1] ?? width) - x[p.column]!}
              chosen={chosen === p.id}
              wiring={wiring === n}
              acts={acts}
            />
          ),
      )}
      <div
        ref={text}
        hidden={!ribbon}
        className="floating pointer-events-none fixed px-2 py-1"
        role="status"
        data-part="ribbon-text"
      >
        {ribbon && ribbonText(picture, ribbon)}
      </div>
    </div>
  );
}

/** How far one can scroll before what shows is looked at again, pixels. */
const stride = 160;

/** useScroll follows how far an element is scrolled, in strides, and whether it
 * moves: what passes under the pointer on the way is not pointed at. */
function useScroll(ref: RefObject<HTMLDivElement | null>): { top: number; moving: RefObject<boolean> } {
  const moving = useRef(false);
  const [top, setTop] = useState(0);
  const asked = useRef(0);
  useEffect(() => {
    const el = ref.current;
    if (!el) return;
    let rest = 0;
    const still = () => {
      moving.current = false;
    };
    const look = () => {
      cancelAnimationFrame(asked.current);
      asked.current = requestAnimationFrame(() => setTop(Math.floor(el.scrollTop / stride) * stride));
    };
    const follow = () => {
      moving.current = true;
      clearTimeout(rest);
      rest = window.setTimeout(still, 120);
      look();
    };
    el.addEventListener("scroll", follow, { passive: true });
    look();
    return () => {
      clearTimeout(rest);
      still();
      el.removeEventListener("scroll", follow);
    };
  }, [ref]);
  return { top, moving };
}

function touchedPlaces(picture: Picture, selection: ReadonlySet<Id>): Set<number> {
  const out = new Set<number>();
  if (selection.size === 0) return out;
  const at = new Map(picture.places.map((p, n) => [p.id, n]));
  const sheet = get().sheet!;
  for (const id of selection) {
    let here = at.get(id);
    let section = sheet.instruments.byId.get(id)?.section;
    for (let n = 0; here === undefined && section && n < mostNested; n++) {
      here = at.get(section);
      section = sheet.sections.byId.get(section)?.parent;
    }
    if (here !== undefined) out.add(here);
  }
  return out;
}

function ribbonText(p: Picture, r: Ribbon): string {
  const level = r.lowDb === r.highDb ? db(r.lowDb) : say.to(db(r.lowDb), db(r.highDb));
  const tap = { pre: say.beforeTheFader, post: say.afterTheFader, both: say.beforeAndAfterTheFader }[r.tap];
  return say.toInstruments(p.places[r.from]!.name, p.places[r.to]!.name, r.count, level, tap);
}

/** connect wires one place to another: a whole section at once, or a bus. */
function connect(from: Place, to: Place) {
  if (from.id === to.id) return;
  if (!isBus(to)) return tell(say.isNotOneBusUnfold(to.name), "refused");
  if (from.holds && from.kind !== "section") {
    return tell(say.standsForSeveralBusesUnfold(from.name), "refused");
  }
  const ids = from.kind === "section" ? within(get().sheet!, from.id) : [from.id];
  const send = busKind(to.kind)?.sends;
  const level = { gainDb: 0, tap: send ? ("pre" as const) : ("post" as const), ...(send ? { hand: true } : {}) };
  void change({ kind: "connect", wires: ids.map((id) => ({ from: id, to: to.id, level })) }).then(
    (done) => done && tell(say.connectedTo(from.name, to.name)),
  );
}
