import { type FormEvent, useState } from "react";
import { createTemplate } from "../model/opening";
import { Floating } from "./Floating";

/** NewTemplateDialog makes an empty template. */
export function NewTemplateDialog({ close }: { close: () => void }) {
  const [name, setName] = useState("");
  const make = async (e: FormEvent) => {
    e.preventDefault();
    if (await createTemplate(name.trim())) close();
  };
  return (
    <Floating title="New template" open onOpenChange={close} className="w-96">
      <form onSubmit={(e) => void make(e)} className="flex gap-2">
        <input
          className="field min-w-0 flex-1"
          aria-label="Name of the template"
          placeholder="Name"
          required
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <button type="submit" className="button button-main">
          Make it
        </button>
      </form>
    </Floating>
  );
}
