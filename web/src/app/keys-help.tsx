// The list of keys (?), with what hands do on the stages.
import { Panel } from "../ui/dialog";
import { KEYS } from "./keys";
import { setShell, useShell } from "./state";

export function KeysHelp() {
  const keysOpen = useShell((s) => s.keysOpen);
  return (
    <Panel open={keysOpen} title="Keyboard and mouse" onClose={() => setShell({ keysOpen: false })}>
      <div className="p-4">
        <h1 className="text-lg">Keyboard and mouse</h1>
        <dl className="mt-2 grid grid-cols-[auto_1fr] gap-x-4 gap-y-1.5">
          {KEYS.map(([keys, what]) => (
            <div key={keys} className="contents">
              <dt className="num self-center">{keys}</dt>
              <dd>{what}</dd>
            </div>
          ))}
        </dl>
      </div>
    </Panel>
  );
}
