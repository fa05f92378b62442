import { type FormEvent, useState } from "react";
import { busKinds, sightKinds } from "../../model/buskinds";
import { seen } from "../../model/changing";
import { randomId } from "../../model/sending";
import { arrangement, keepSightline, look, type Sightline, sightOf } from "../../model/sight";
import { get, useApp } from "../../model/store";
import { pathOf, rowKinds, things } from "../../model/template";
import { stateWord } from "../../parts/RestGlyph";
import { Several } from "../../parts/Several";
import { Floating } from "../../shell/Floating";
import { fields } from "./fields";
import { words } from "./words";

const say = words.sightDialog;

type Match = NonNullable<Sightline["match"]>;

const orders = [
  ["", say.asTheyStandBySection],
  ["name", say.byName],
  ["seat", say.bySeat],
  ["memory", say.byMemoryLargestFirst],
] as const;

/** SightDialog makes or changes a sightline: which rows it shows, in what order,
 * and how. */
export function SightDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [was] = useState(() => sightOf(sheet, get().sighting));
  const [base] = useState(seen);
  const [line, setLine] = useState<Sightline>(
    () => was ?? { id: `sightline-${randomId()}`, name: "", match: {}, ...arrangement() },
  );
  const [picked] = useState(() => sheet.instruments.order.filter((id) => get().selection.has(id)));
  const match = line.match ?? {};
  const setMatch = (m: Match) => setLine({ ...line, match: m });
  const keep = async (e: FormEvent) => {
    e.preventDefault();
    const { order, key, columns, ...rest } = { ...line, name: line.name.trim() };
    const kept: Sightline = {
      ...rest,
      ...(order ? { order } : {}),
      ...(key ? { key } : {}),
      ...(columns && columns.length > 0 ? { columns } : {}),
    };
    if (!(await keepSightline(kept, base))) return;
    setTimeout(() => look(kept.id), 50); // once the change has come back
    close();
  };
  const several = (
    key: "sections" | "stems" | "libraries" | "machines" | "kinds",
    text: string,
    list: [string, string][],
  ) => (
    <>
      <span>{text}</span>
      <Several
        label={text}
        list={list}
        chosen={match[key] ?? []}
        set={(keys) => {
          const { [key]: _, ...others } = match;
          setMatch(keys.length > 0 ? { ...others, [key]: keys } : others);
        }}
      />
    </>
  );
  const stems = things(sheet.buses).filter((b) => busKinds[b.kind].stem);
  return (
    <Floating title={was ? say.change(was.name) : say.newSightline} open onOpenChange={close} className="w-[560px]">
      <form onSubmit={(e) => void keep(e)} className="-m-1 flex min-h-0 flex-col gap-3 overflow-y-auto p-1">
        <div className="grid grid-cols-[110px_minmax(0,1fr)] items-center gap-2">
          <label className="contents">
            <span>{say.Name}</span>
            <input
              className="field"
              required
              value={line.name}
              onChange={(e) => setLine({ ...line, name: e.target.value })}
            />
          </label>
          <span>{say.shows}</span>
          <div className="flex gap-5">
            <label className="flex items-center gap-2">
              <input
                type="radio"
                name="fixed"
                checked={!line.fixed && !line.buses}
                onChange={() => {
                  const { fixed: _, rows: __, buses: ___, ...rest } = line;
                  setLine({ ...rest, match });
                }}
              />
              {say.whatMatches}
            </label>
            <label className="flex items-center gap-2">
              <input
                type="radio"
                name="fixed"
                checked={line.fixed === true}
                disabled={!line.fixed && picked.length === 0}
                onChange={() => {
                  const { buses: _, ...rest } = line;
                  setLine({ ...rest, fixed: true, rows: picked });
                }}
              />
              {say.always(line.fixed ? say.rows(line.rows?.length ?? 0) : say.theSelectedRows(picked.length))}
            </label>
            <label className="flex items-center gap-2">
              <input
                type="radio"
                name="fixed"
                checked={line.buses !== undefined}
                onChange={() => {
                  const { fixed: _, rows: __, match: ___, ...rest } = line;
                  setLine({ ...rest, buses: sightKinds.filter((k) => !busKinds[k].stem) });
                }}
              />
              {say.buses}
            </label>
          </div>
          {line.buses && (
            <>
              <span>{say.kindsOfBus}</span>
              <div className="flex gap-5">
                {sightKinds.map((kind) => (
                  <label key={kind} className="flex items-center gap-2">
                    <input
                      type="checkbox"
                      checked={line.buses!.includes(kind)}
                      disabled={line.buses!.length === 1 && line.buses![0] === kind}
                      onChange={(e) =>
                        setLine({
                          ...line,
                          buses: e.target.checked ? [...line.buses!, kind] : line.buses!.filter((k) => k !== kind),
                        })
                      }
                    />
                    {busKinds[kind].many}
                  </label>
                ))}
                <span className="text-soft">{say.inRoutingAsAMatrix}</span>
              </div>
            </>
          )}
          {!line.fixed && !line.buses && (
            <>
              {several(
                "sections",
                say.section,
                things(sheet.sections).map((s) => [s.id, pathOf(sheet, s.id)]),
              )}
              {several(
                "stems",
                say.stem,
                stems.map((b) => [b.id, `${b.name} (${sheet.folds.byId.get(b.fold!)?.name})`]),
              )}
              {several(
                "libraries",
                say.library,
                things(sheet.libraries).map((l) => [l.id, l.name]),
              )}
              {several(
                "machines",
                say.machine,
                things(sheet.machines).map((m) => [m.id, m.name]),
              )}
              {several("kinds", say.kind, Object.entries(rowKinds))}
              <label className="contents">
                <span>{say.state}</span>
                <select
                  className="field"
                  value={match.state ?? ""}
                  onChange={(e) => {
                    const { state: _, ...others } = match;
                    setMatch(
                      e.target.value ? { ...others, state: e.target.value as NonNullable<Match["state"]> } : others,
                    );
                  }}
                >
                  <option value="">{say.any}</option>
                  {["ready", "tuning", "failed", "printed", "tacet"].map((s) => (
                    <option key={s} value={s}>
                      {stateWord(s)}
                    </option>
                  ))}
                </select>
              </label>
              <label className="contents">
                <span>{say.words}</span>
                <input
                  className="field"
                  placeholder={say.inNameNotesSection}
                  value={match.text ?? ""}
                  onChange={(e) => {
                    const { text: _, ...others } = match;
                    setMatch(e.target.value ? { ...others, text: e.target.value } : others);
                  }}
                />
              </label>
            </>
          )}
          <label className="contents">
            <span>{say.order}</span>
            <select
              className="field"
              value={line.order ?? ""}
              onChange={(e) => {
                const { order: _, ...rest } = line;
                setLine(e.target.value ? { ...rest, order: e.target.value as NonNullable<Sightline["order"]> } : rest);
              }}
            >
              {orders.map(([key, text]) => (
                <option key={key} value={key}>
                  {text}
                </option>
              ))}
            </select>
          </label>
          <span className="self-start pt-1">{say.columns}</span>
          <div className="flex flex-wrap gap-x-4 gap-y-1">
            {fields
              .filter((f) => !f.menuOnly)
              .map((f) => (
                <label key={f.key} className="flex items-center gap-1.5">
                  <input
                    type="checkbox"
                    checked={!line.columns?.length || line.columns.includes(f.key)}
                    onChange={(e) => {
                      const all = fields.filter((x) => !x.menuOnly).map((x) => x.key);
                      const on = new Set(line.columns?.length ? line.columns : all);
                      e.target.checked ? on.add(f.key) : on.delete(f.key);
                      on.add("name");
                      setLine({ ...line, columns: on.size === all.length ? [] : all.filter((k) => on.has(k)) });
                    }}
                  />
                  {f.title}
                </label>
              ))}
          </div>
          <label className="contents">
            <span>{say.key}</span>
            <select
              className="field w-24"
              value={line.key ?? ""}
              onChange={(e) => {
                const { key: _, ...rest } = line;
                setLine(e.target.value ? { ...rest, key: Number(e.target.value) } : rest);
              }}
            >
              <option value="">{say.none}</option>
              {[1, 2, 3, 4, 5, 6, 7, 8, 9].map((n) => (
                <option key={n} value={n} disabled={sheet.sightlines.some((s) => s.key === n && s.id !== line.id)}>
                  {n}
                </option>
              ))}
            </select>
          </label>
        </div>
        <div className="flex items-center gap-3">
          <span className="text-soft">{say.itOpensTheLeaves}</span>
          <button type="submit" className="button button-main ml-auto">
            {say.save}
          </button>
        </div>
      </form>
    </Floating>
  );
}
