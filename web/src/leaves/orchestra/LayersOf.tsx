import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Id, type Schemas } from "../../model/api";
import { keepLevels } from "../../model/balance";
import type { Mapping } from "../../model/catalogue";
import { change } from "../../model/changing";
import { keyName } from "../../model/keys";
import { useApp } from "../../model/store";
import { db as decibels } from "../../model/template";
import { named, writtenAll } from "../library/switches";
import { words } from "./words";

const say = words.layersOf;

/** LayersOf shows what the patches of a layered row make of each other's switches:
 * every articulation of any of them, where they disagree, and a map that serves all. */
export function LayersOf({ id, middleC, own }: { id: Id; middleC: number; own: boolean }) {
  const sheet = useApp((s) => s.sheet)!;
  const { data } = useQuery({
    queryKey: ["layers", sheet.id, id, sheet.revision],
    queryFn: () =>
      answer(
        api.GET("/api/templates/{id}/layers/{instrument}", { params: { path: { id: sheet.id, instrument: id } } }),
      ),
    placeholderData: keepPreviousData,
  });
  if (!data) return null;
  const toSet = data.keys.filter((k) => k >= 0).length;
  return (
    <section className="mb-3" aria-label={say.layers}>
      <table className="w-full text-left">
        <thead>
          <tr className="text-soft">
            <th className="py-1 font-normal">{say.articulation}</th>
            {data.layers.map((l) => (
              <th key={l.name} className="font-normal" title={l.library}>
                {l.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          <tr data-part="layer-trims">
            <td className="py-1 text-soft">{say.trimOfTheLayer}</td>
            {data.layers.map((l, n) => (
              <td key={l.name}>
                <LayerTrim row={id} place={n} name={l.name} />
              </td>
            ))}
          </tr>
          {data.map.map((m) => (
            <Way key={m.articulation} is={m} layered={data} middleC={middleC} />
          ))}
        </tbody>
      </table>
      {!own && data.faults.length > 0 && (
        <p className="mt-2 flex items-center gap-2">
          <span className="text-soft">
            {toSet > 0
              ? say.aMapThatServes(
                  toSet,
                  data.serving
                    .flatMap((m, n) =>
                      data.keys[n]! >= 0 ? [`${m.articulation} ${keyName(data.keys[n]!, middleC)}`] : [],
                    )
                    .join(", "),
                )
              : say.noKeyIsFree}
          </span>
          {toSet > 0 && (
            <button
              type="button"
              className="button ml-auto shrink-0"
              onClick={() => void change({ kind: "edit", edits: [{ id, map: data.serving }] })}
            >
              {say.takeThatMap}
            </button>
          )}
        </p>
      )}
    </section>
  );
}

/** LayerTrim sets how strong one patch of a row is beside the others. */
function LayerTrim({ row, place, name }: { row: Id; place: number; name: string }) {
  const is = useApp((s) => s.sheet!.instruments.byId.get(row));
  const patch = is?.patches[place];
  const now = is?.layerTrims?.find((x) => x.patch === patch)?.db ?? 0;
  const [text, setText] = useState<string | null>(null);
  const keep = () => {
    const db = Number((text ?? "").replace("−", "-").replace(",", ".").replace(/ ?dB$/, ""));
    setText(null);
    if (!patch || !text?.trim() || !Number.isFinite(db) || db === now) return;
    const others = (is.layerTrims ?? []).filter((x) => x.patch !== patch && is.patches.includes(x.patch));
    const layerTrims = db === 0 ? others : [...others, { patch, db }];
    void change({ kind: "edit", edits: [{ id: row, layerTrims }] }).then((done) => done && keepLevels([row]));
  };
  return (
    <input
      className="field w-20 text-right"
      aria-label={say.trimOfDb(name)}
      value={text ?? decibels(now)}
      onFocus={() => setText(String(now))}
      onChange={(e) => setText(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") {
          setText(null);
          e.stopPropagation();
        }
      }}
    />
  );
}

interface WayProps {
  is: Mapping;
  layered: Schemas["Layered"];
  middleC: number;
}

function Way({ is, layered, middleC }: WayProps) {
  const faults = layered.faults.filter((f) => f.articulation === is.articulation);
  const lacks = new Set(layered.lacking.filter((f) => f.articulation === is.articulation).map((f) => f.message));
  return (
    <>
      <tr className="align-top" data-way={is.articulation}>
        <td className="py-0.5 pr-2 font-medium">{is.articulation}</td>
        {layered.layers.map((l) => {
          const own = l.map.find((m) => m.articulation === is.articulation);
          return (
            <td key={l.name} className="pr-2">
              {lacks.has(l.name) ? (
                <span className="text-soft">{say.doesNotHaveItStays}</span>
              ) : (
                writtenAll(own?.switches ?? is.switches, middleC) || say.noSwitch
              )}
            </td>
          );
        })}
      </tr>
      {faults.map((f) => (
        <tr key={f.message} className="text-accent">
          <td />
          <td colSpan={layered.layers.length}>! {named(f.message, middleC)}</td>
        </tr>
      ))}
    </>
  );
}
