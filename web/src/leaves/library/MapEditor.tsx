import { useQuery } from "@tanstack/react-query";
import { Plus, X } from "lucide-react";
import { useState } from "react";
import { type Catalogue, faultsOf, type Mapping } from "../../model/catalogue";
import { tell } from "../../model/store";
import { Keyboard } from "../../parts/Keyboard";
import { clipboard } from "./clipboard";
import { keysOf, type Mapped, named, read, writtenAll } from "./switches";
import { TryOut } from "./TryOut";
import { useLearn } from "./useLearn";
import { words } from "./words";

const say = words.mapEditor;

interface Props {
  cat: Catalogue;
  patch: Mapped;
  seen: () => number; // the revision that is looked at
  set: (map: Mapping[], base: number) => Promise<unknown>;
}

/** MapEditor edits how each articulation of a patch is reached, on a drawn
 * keyboard and in a table. Nothing is set until it is kept. */
export function MapEditor({ cat, patch, seen, set }: Props) {
  const [draft, setDraft] = useState<Mapping[] | null>(null); // null while it is as it stands
  const [base, setBase] = useState(seen);
  const [row, setRow] = useState(0);
  const map = draft ?? patch.map ?? [];
  const edit = (next: Mapping[]) => {
    if (!draft) setBase(seen());
    setDraft(next);
  };
  const put = (n: number, m: Mapping) => edit(map.map((x, at) => (at === n ? m : x)));
  const zone = patch.switchZone;
  const { data: faults, error } = useQuery(
    faultsOf({ map, keyLow: patch.keyLow, keyHigh: patch.keyHigh, ...(zone ? { switchZone: zone } : {}) }),
  );
  const wrong = new Set([...(faults?.inRange ?? []), ...(faults?.clashes ?? []).flatMap((c) => [c.a, c.b])]);
  const keep = async () => {
    if (await set(map, base)) setDraft(null);
  };
  const setKey = (key: number) => {
    const m = map[row];
    if (!m) return;
    const others = m.switches.filter((s) => s.kind !== "key");
    put(row, { ...m, switches: [{ kind: "key", number: key }, ...others] });
  };
  const learn = useLearn((s) => {
    const m = map[row];
    if (m) put(row, { ...m, switches: [...m.switches.filter((x) => x.kind !== s.kind), s] });
  });
  const add = () => {
    const used = new Set(map.map((m) => m.articulation));
    const name = cat.vocabulary.find((t) => !used.has(t.name))?.name ?? "new";
    const free = faults?.free[0];
    edit([...map, { articulation: name, switches: free === undefined ? [] : [{ kind: "key", number: free }] }]);
    setRow(map.length);
  };
  return (
    <div aria-label={say.articulationMapOf(patch.name)} role="group">
      <div className="mb-1 flex flex-wrap items-center gap-1.5">
        <h4 className="mr-auto font-semibold font-serif text-[14px]">{say.howItsArticulationsAreReached}</h4>
        {learn.can && (
          <button type="button" className="button" aria-pressed={learn.on} onClick={learn.toggle}>
            {learn.on ? say.playTheSwitch : say.learn}
          </button>
        )}
        <button type="button" className="button" onClick={() => clipboard.copy(patch.name, map)}>
          {say.copyMap}
        </button>
        <PasteButton onPaste={(m) => edit(m)} />
        <button type="button" className="button" onClick={add}>
          <Plus size={13} /> {say.articulation}
        </button>
        {draft && (
          <>
            <button type="button" className="button" onClick={() => setDraft(null)}>
              {say.cancel}
            </button>
            <button type="button" className="button button-main" onClick={() => void keep()}>
              {say.saveMap}
            </button>
          </>
        )}
      </div>
      <Keyboard
        low={patch.keyLow}
        high={patch.keyHigh}
        zone={zone}
        sounding={cat.sounds.find((s) => s.id === patch.sound)}
        middleC={cat.middleC}
        flags={keysOf(map).map((f) => ({ ...f, wrong: wrong.has(f.at), chosen: f.at === row }))}
        onKey={setKey}
      />
      <ul className="my-1" aria-label={say.faultsOfTheMap}>
        {(faults?.clashes ?? []).map((c) => (
          <li key={`${c.a} ${c.b}`} className="text-accent">
            {say.selectsBothAnd(
              named(c.message, cat.middleC),
              map[c.a]?.articulation ?? "",
              map[c.b]?.articulation ?? "",
            )}{" "}
            {faults?.free[0] !== undefined && (
              <button
                type="button"
                className="underline"
                onClick={() => {
                  const m = map[c.b]!;
                  const free = faults.free[0]!;
                  put(c.b, { ...m, switches: m.switches.map((s) => (s.kind === "key" ? { ...s, number: free } : s)) });
                }}
              >
                {say.giveAFreeKey(map[c.b]?.articulation ?? "")}
              </button>
            )}
          </li>
        ))}
        {(faults?.inRange ?? []).map((n) => (
          <li key={n} className="text-accent">
            {say.switchesOnAKey(map[n]?.articulation ?? "")}
          </li>
        ))}
        {error && <li className="text-accent">! {error.message}</li>}
      </ul>
      {map.length > 0 && (
        <table className="w-full text-left">
          <thead>
            <tr className="text-soft">
              <th className="font-normal">{say.articulation}</th>
              <th className="font-normal" title={say.asInKeyC1Key}>
                {say.switches}
              </th>
              <th className="font-normal">{say.leadMs}</th>
              <th className="font-normal">{say.lateByMs}</th>
              <th>
                <span className="sr-only">{say.remove}</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {map.map((m, n) => (
              <MapRow
                key={n}
                cat={cat}
                mapping={m}
                chosen={n === row}
                wrong={wrong.has(n)}
                choose={() => setRow(n)}
                put={(x) => put(n, x)}
                remove={() => edit(map.filter((_, at) => at !== n))}
              />
            ))}
          </tbody>
        </table>
      )}
      {map.length > 0 && <TryOut cat={cat} patch={patch} map={map} />}
    </div>
  );
}
function PasteButton({ onPaste }: { onPaste: (m: Mapping[]) => void }) {
  const held = clipboard.use();
  if (!held) return null;
  return (
    <button type="button" className="button" title={say.theMapOf(held.name)} onClick={() => onPaste(held.map)}>
      {say.takeCopiedMap}
    </button>
  );
}

interface RowProps {
  cat: Catalogue;
  mapping: Mapping;
  chosen: boolean;
  wrong: boolean;
  choose: () => void;
  put: (m: Mapping) => void;
  remove: () => void;
}

function MapRow({ cat, mapping: m, chosen, wrong, choose, put, remove }: RowProps) {
  const shown = writtenAll(m.switches, cat.middleC);
  const ms = (text: string) => Math.max(0, Math.round(Number(text) || 0));
  return (
    <tr onFocus={choose} onMouseDown={choose} className={chosen ? "bg-chosen" : ""} data-articulation={m.articulation}>
      <td className="py-0.5 pr-1">
        <input
          className="field h-6 w-full min-w-0"
          list="vocabulary"
          aria-label={say.articulation}
          value={m.articulation}
          onChange={(e) => put({ ...m, articulation: e.target.value })}
        />
        <datalist id="vocabulary">
          {cat.vocabulary.map((t) => (
            <option key={t.id} value={t.name}>
              {t.short}
            </option>
          ))}
        </datalist>
      </td>
      <td className="pr-1">
        <input
          key={shown}
          className={`field h-6 w-full min-w-0 ${wrong ? "border-accent" : ""}`}
          aria-label={say.switchesOf(m.articulation)}
          aria-invalid={wrong}
          placeholder={say.alwaysOrKeyC1Cc}
          defaultValue={shown}
          onBlur={(e) => {
            if (e.target.value === shown) return;
            const switches = read(e.target.value, cat.middleC);
            if (Array.isArray(switches)) return put({ ...m, switches });
            tell(say.isNotASwitchWrite(switches.wrong), "refused");
          }}
          onKeyDown={(e) => {
            if (e.key === "Enter") e.currentTarget.blur();
            if (e.key === "Escape") e.currentTarget.value = shown;
          }}
        />
      </td>
      <td className="w-[74px] pr-1">
        <input
          type="number"
          min={0}
          max={1000}
          className="field h-6 w-full"
          aria-label={say.leadOf(m.articulation)}
          value={m.leadMs ?? 0}
          onChange={(e) => put({ ...m, leadMs: ms(e.target.value) })}
        />
      </td>
      <td className="w-[74px] pr-1">
        <input
          type="number"
          min={0}
          max={2000}
          className="field h-6 w-full"
          aria-label={say.delayOf(m.articulation)}
          value={m.delayMs ?? 0}
          onChange={(e) => put({ ...m, delayMs: ms(e.target.value) })}
        />
      </td>
      <td className="w-6">
        <button
          type="button"
          className="grid size-6 place-items-center rounded-[3px] hover:bg-band"
          aria-label={say.takeOut(m.articulation)}
          onClick={remove}
        >
          <X size={13} />
        </button>
      </td>
    </tr>
  );
}
