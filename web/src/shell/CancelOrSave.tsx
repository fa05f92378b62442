import { words } from "./words";

const say = words.cancelOrSave;
/** CancelOrSave are the two ways out of a form that sets something. */
export function CancelOrSave({ leave }: { leave: () => void }) {
  return (
    <div className="mt-3 flex justify-end gap-2">
      <button type="button" className="button" onClick={leave}>
        {say.cancel}
      </button>
      <button type="submit" className="button button-main">
        {say.save}
      </button>
    </div>
  );
}
