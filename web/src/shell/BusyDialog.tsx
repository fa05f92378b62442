import { Dialog } from "radix-ui";
import { attempt, set, useApp } from "../model/store";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.busyDialog;

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
    <Floating title={say.inUse} open onOpenChange={close} className="w-[440px]">
      <Dialog.Description className="mb-4">{busy.problem.detail}</Dialog.Description>
      <div className="flex justify-end gap-2">
        <button type="button" className="button" onClick={close}>
          {say.cancel}
        </button>
        <button type="button" className="button button-main" onClick={sure}>
          {say.restThem}
        </button>
      </div>
    </Floating>
  );
}
