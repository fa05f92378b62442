import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.hostCommand;

/** What is said of a credential beside the command that has it. */
export const shownOnce = say.theCredentialIsShownOnly;

/** HostCommand shows the one command that starts the host of a machine. */
export function HostCommand(props: { title: string; name: string; command: string; close: () => void }) {
  return (
    <Floating title={props.title} open onOpenChange={props.close} className="w-[600px]">
      <p className="mb-2">{say.runThisOn(props.name, shownOnce)}</p>
      <pre className="select-all whitespace-pre-wrap break-all rounded-[3px] bg-spine p-3">{props.command}</pre>
    </Floating>
  );
}
