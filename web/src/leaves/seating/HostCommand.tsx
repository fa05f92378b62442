import { Floating } from "../../shell/Floating";

/** HostCommand shows the one command that starts the host of a machine. */
export function HostCommand(props: { title: string; name: string; command: string; close: () => void }) {
  return (
    <Floating title={props.title} open onOpenChange={props.close} className="w-[600px]">
      <p className="mb-2">Run this on {props.name}. The credential is shown this once.</p>
      <pre className="select-all whitespace-pre-wrap break-all rounded-[3px] bg-spine p-3">{props.command}</pre>
    </Floating>
  );
}
