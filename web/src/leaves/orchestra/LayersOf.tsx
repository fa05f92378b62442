import { useQuery } from "@tanstack/react-query";
import { answer, api, type Id, type Schemas } from "../../model/api";
import type { Mapping } from "../../model/catalogue";
import { change } from "../../model/changing";
import { keyName } from "../../model/keys";
import { useApp } from "../../model/store";
import { named, writtenAll } from "../library/switches";

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
  });
  if (!data) return null;
  const toSet = data.keys.filter((k) => k >= 0).length;
  return (
    <section className="mb-3" aria-label="Layers">
      <table className="w-full text-left">
        <thead>
          <tr className="text-soft">
            <th className="py-1 font-normal">Articulation</th>
            {data.layers.map((l) => (
              <th key={l.name} className="font-normal" title={l.library}>
                {l.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {data.map.map((m) => (
            <Way key={m.articulation} is={m} layered={data} middleC={middleC} />
          ))}
        </tbody>
      </table>
      {!own && data.faults.length > 0 && (
        <p className="mt-2 flex items-center gap-2">
          <span className="text-soft">
            {toSet > 0
              ? `A map that serves them all needs ${toSet === 1 ? "one free key" : `${toSet} free keys`}, to be set in the players: ${data.serving
                  .flatMap((m, n) =>
                    data.keys[n]! >= 0 ? [`${m.articulation} ${keyName(data.keys[n]!, middleC)}`] : [],
                  )
                  .join(", ")}.`
              : "No key is free for all of them: give the articulations controllers in Library."}
          </span>
          {toSet > 0 && (
            <button
              type="button"
              className="button ml-auto shrink-0"
              onClick={() => void change({ kind: "edit", edits: [{ id, map: data.serving }] })}
            >
              Take that map
            </button>
          )}
        </p>
      )}
    </section>
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
                <span className="text-soft">does not have it; stays as it was</span>
              ) : (
                writtenAll(own?.switches ?? is.switches, middleC) || "no switch"
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
