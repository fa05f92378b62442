import { Dialog } from "radix-ui";
import { attempt, set, useApp } from "../model/store";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.clashDialog;

/** ClashDialog shows both values when somebody else was quicker; nothing
 * typed is lost. */
export function ClashDialog() {
  const clash = useApp((s) => s.clash);
  if (!clash) return null;
  const close = () => set({ clash: null });
  const mine = () => {
    close();
    void attempt(clash.again, clash.again);
  };
  return (
    <Floating title={say.somebodyElseChangedThisMeanwhile} open onOpenChange={close} className="w-[440px]">
      <Dialog.Description className="mb-3">{clash.problem.detail}.</Dialog.Description>
      <dl className="mb-4 grid grid-cols-[auto_1fr] gap-x-4 gap-y-1">
        <dt className="text-soft">{say.now}</dt>
        <dd className="select-text" data-value="theirs">
          {clash.problem.theirs || say.nothing}
        </dd>
        <dt className="text-soft">{say.yours}</dt>
        <dd className="select-text" data-value="yours">
          {clash.problem.yours || say.itCanNoLonger}
        </dd>
      </dl>
      <div className="flex justify-end gap-2">
        <button type="button" className="button" onClick={close}>
          {say.keepWhatIsThere}
        </button>
        <button type="button" className="button button-main" onClick={mine}>
          {say.useMine}
        </button>
      </div>
    </Floating>
  );
}
