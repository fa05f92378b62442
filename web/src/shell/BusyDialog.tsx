import { Dialog } from "radix-ui";
import { attempt, set, useApp } from "../model/store";
import { Floating } from "./Floating";

/** BusyDialog asks before anything is rested that sounds, is armed or is kept. */
export function BusyDialog() {
  const busy = useApp((s) => s.busy);
  if (!busy) return null;
  const close = () => set({ busy: null });
  const sure = () => {
    close();
    void attempt(busy.again);
  };
  return (
    <Floating title="In use" open onOpenChange={close} className="w-[440px]">
      <Dialog.Description className="mb-4">{busy.problem.detail}</Dialog.Description>
      <div className="flex justify-end gap-2">
        <button type="button" className="button" onClick={close}>
          Cancel
        </button>
        <button type="button" className="button button-main" onClick={sure}>
          Rest them
        </button>
      </div>
    </Floating>
  );
}
