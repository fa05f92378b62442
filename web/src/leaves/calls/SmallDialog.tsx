import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../model/api";
import { call } from "../../model/changing";
import { copyRows } from "../../model/delivering";
import { createTemplate } from "../../model/opening";
import { attempt, get, select, set, tell, useApp } from "../../model/store";
import { mib, plural } from "../../model/template";
import { Floating } from "../../shell/Floating";

type Role = Schemas["WantedRole"];
const mibOfGib = 1024;

/** SmallDialog takes a small set out of the big template: what plays the most
 * of the wanted roles within a memory budget, and what that leaves out. */
export function SmallDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [budget, setBudget] = useState(16);
  const [off, setOff] = useState<ReadonlySet<string>>(new Set()); // names of roles not wanted
  const [word, setWord] = useState("");
  const [own, setOwn] = useState<Role[]>([]);
  const [name, setName] = useState("Sketch");
  const ask = (roles: Role[] | undefined, keep?: string) =>
    answer(
      api.POST("/api/templates/{id}/calls/small", {
        params: { path: { id: get().sheet!.id } },
        body: { budgetMib: budget * mibOfGib, ...(roles ? { roles } : {}), ...(keep ? { keep } : {}) },
      }),
    );
  const { data: usual } = useQuery({ queryKey: ["small", sheet.id, "usual"], queryFn: () => ask(undefined) });
  const all = [...(usual?.roles.map((r) => r.role) ?? []), ...own];
  const roles = all.filter((r) => !off.has(r.name));
  const { data } = useQuery({
    queryKey: ["small", sheet.id, sheet.revision, budget, roles],
    queryFn: () => ask(roles),
    enabled: usual !== undefined && Number.isFinite(budget),
    placeholderData: keepPreviousData,
  });
  const told = new Map(data?.roles.map((r) => [r.role.name, r]));
  const want = (role: string, on: boolean) => {
    const next = new Set(off);
    if (on) next.delete(role);
    else next.add(role);
    setOff(next);
  };
  const keep = async () => {
    if (!(await attempt(() => ask(roles, name)))) return;
    tell(`${name} is a call now.`);
    close();
  };
  const bring = async () => {
    if (data && (await call(data.instruments, "only"))) close();
  };
  const template = async () => {
    copyRows(data!.instruments);
    if (await createTemplate(name)) set({ dialog: "paste" }); // which asks about buses and puts the rows in
  };
  return (
    <Floating title="A small one out of this" open onOpenChange={close} className="w-[680px]">
      <div className="mb-2 flex items-center gap-3">
        <label className="flex items-center gap-2">
          Within
          <input
            type="number"
            className="field w-20"
            min={0}
            max={65536}
            step="any"
            aria-label="Budget, GiB"
            value={budget}
            onChange={(e) => setBudget(Number(e.target.value))}
          />
          GiB of memory
        </label>
        <span className="ml-auto" data-part="small-sum">
          {data &&
            `${plural(data.instruments.length, "instrument")} play ${data.roles.filter((r) => r.by).length} of ${plural(roles.length, "role")} in ${mib(data.mib)}`}
        </span>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto border-line border-y">
        <table className="w-full text-left" aria-label="Roles">
          <tbody>
            {all.map((r) => {
              const is = told.get(r.name);
              return (
                <tr key={r.name} className="odd:bg-band" data-role={r.name}>
                  <td className="w-56 py-0.5 pl-1">
                    <label className="flex items-center gap-2">
                      <input
                        type="checkbox"
                        checked={!off.has(r.name)}
                        onChange={(e) => want(r.name, e.target.checked)}
                      />
                      {r.name}
                    </label>
                  </td>
                  <td>
                    {off.has(r.name) || !is ? (
                      <span className="text-soft">not wanted</span>
                    ) : is.by ? (
                      sheet.instruments.byId.get(is.by)?.name
                    ) : (
                      <span className="text-accent">&gt; left out: {is.why}</span>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <form
        className="mt-2 flex items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          const text = word.trim();
          if (text && !all.some((r) => r.name === `One ${text}`)) setOwn([...own, { name: `One ${text}`, word: text }]);
          setWord("");
        }}
      >
        <input
          className="field w-56"
          aria-label="Another role"
          placeholder="One more: harp, pizz, choir…"
          value={word}
          onChange={(e) => setWord(e.target.value)}
        />
        <button type="submit" className="button" disabled={word.trim() === ""}>
          Add the role
        </button>
      </form>
      <div className="mt-3 flex items-center gap-2">
        <input
          className="field w-44"
          aria-label="Name of the small one"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <button
          type="button"
          className="link h-6"
          disabled={!data?.instruments.length}
          onClick={() => select(data!.instruments, data!.instruments[0] ?? null)}
        >
          Select them
        </button>
        <button
          type="button"
          className="button ml-auto"
          disabled={!data?.instruments.length || name.trim() === ""}
          onClick={() => void template()}
        >
          Make a template
        </button>
        <button
          type="button"
          className="button"
          disabled={!data?.instruments.length || name.trim() === ""}
          onClick={() => void keep()}
        >
          Keep as a call
        </button>
        <button
          type="button"
          className="button button-main"
          disabled={!data?.instruments.length}
          onClick={() => void bring()}
        >
          Call it
        </button>
      </div>
    </Floating>
  );
}
