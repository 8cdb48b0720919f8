// Holding a key shows the open mask as it was before the last change.
import { useEffect } from "react";
import { useAtFinish } from "./edit";
import { setFinish, useFinish } from "./state";

/** The key that is held. */
const KEY = "c";
const TYPING = "input, textarea, select, [contenteditable], [role=dialog]";

export function BeforeHeld() {
  const at = useAtFinish();
  const before = useFinish((s) => s.before);
  useEffect(() => {
    if (!at) return;
    const held = (down: boolean) => (e: KeyboardEvent) => {
      const typing = e.target instanceof HTMLElement && e.target.closest(TYPING);
      if (e.key.toLowerCase() !== KEY || e.ctrlKey || e.metaKey || (down && typing)) return;
      setFinish({ before: down });
    };
    const [down, up] = [held(true), held(false)];
    const blurred = () => setFinish({ before: false });
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", blurred);
    return () => {
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
      window.removeEventListener("blur", blurred);
      setFinish({ before: false });
    };
  }, [at]);
  return at && before ? (
    <p role="status" className="bg-ember-fill px-3 py-0.5 text-on-ember">
      Before the last change
    </p>
  ) : null;
}
