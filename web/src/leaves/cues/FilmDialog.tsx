import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { createFilm, filmed } from "../../model/film";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.filmDialog;

/** FilmDialog makes a production. */
export function FilmDialog({ close }: { close: () => void }) {
  const { data } = useQuery(filmed.rates());
  const [name, setName] = useState("");
  const [rate, setRate] = useState("25");
  const make = async (e: FormEvent) => {
    e.preventDefault();
    if (await createFilm(name.trim(), rate)) close();
  };
  return (
    <Floating title={say.newProduction} open onOpenChange={close} className="w-[420px]">
      <form onSubmit={(e) => void make(e)} className="grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-2">
        <label htmlFor="film-name">{say.name}</label>
        <input
          id="film-name"
          className="field"
          value={name}
          maxLength={200}
          onChange={(e) => setName(e.target.value)}
        />
        <label htmlFor="film-rate">{say.framesASecond}</label>
        <select id="film-rate" className="field" value={rate} onChange={(e) => setRate(e.target.value)}>
          {(data ?? [rate]).map((r) => (
            <option key={r}>{r}</option>
          ))}
        </select>
        <div className="col-span-2 mt-2 flex justify-end gap-2">
          <button type="button" className="button" onClick={close}>
            {say.cancel}
          </button>
          <button type="submit" className="button button-main" disabled={name.trim() === ""}>
            {say.create}
          </button>
        </div>
      </form>
    </Floating>
  );
}
