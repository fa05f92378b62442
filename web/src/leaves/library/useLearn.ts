import { useEffect, useRef, useState } from "react";
import type { Switch } from "../../model/catalogue";
import { tell } from "../../model/store";
import { learned } from "./switches";
import { words } from "./words";

const say = words.useLearn;

/** useLearn waits for the next switch played on a MIDI keyboard, where the
 * browser has Web MIDI. */
export function useLearn(take: (s: Switch) => void) {
  const [on, setOn] = useState(false);
  const latest = useRef(take);
  latest.current = take;
  const can = "requestMIDIAccess" in navigator;
  useEffect(() => {
    if (!on) return;
    let access: MIDIAccess | null = null;
    let over = false;
    const hear = (e: MIDIMessageEvent) => {
      const s = e.data && learned(e.data);
      if (!s) return;
      latest.current(s);
      setOn(false);
    };
    navigator
      .requestMIDIAccess()
      .then((a) => {
        if (over) return;
        access = a;
        if (a.inputs.size === 0) tell(say.noMidiKeyboardIsConnected, "refused");
        for (const input of a.inputs.values()) input.onmidimessage = hear;
      })
      .catch(() => {
        tell(say.theBrowserDoesNotAllow, "refused");
        setOn(false);
      });
    return () => {
      over = true;
      for (const input of access?.inputs.values() ?? []) input.onmidimessage = null;
    };
  }, [on]);
  return { can, on, toggle: () => setOn(!on) };
}
