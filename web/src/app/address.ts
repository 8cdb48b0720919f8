// The address says what is open: /asset/3/reach, and ?run=12 while an older run is looked at. It is followed when the browser goes
// back or forward, and a sent link opens the same. Stops hear here that they are entered and left. No router: the page is one screen
// whose parts all stay mounted, so that an address chooses data and not components.
import { useEffect } from "react";
import { FIRST_STOP, type Open, open, useOpen } from "../api/open";
import { useAssets } from "../api/queries";
import { show } from "../stages/view";
import { STOPS } from "../stops";

/** A number from 1 on. */
const numberOf = (text: string | null | undefined) => (text && /^[1-9]\d*$/.test(text) ? Number(text) : null);

export function parse(path: string, query: string): Open {
  const [, page, asset, stop] = path.split("/");
  return {
    asset: page === "asset" ? numberOf(asset) : null,
    stop: STOPS.some((s) => s.id === stop) ? (stop ?? FIRST_STOP) : FIRST_STOP,
    run: numberOf(new URLSearchParams(query).get("run")),
  };
}

export function address({ asset, stop, run }: Open): string {
  if (asset === null) return "/";
  return `/asset/${asset}/${stop}${run === null ? "" : `?run=${run}`}`;
}

const here = () => parse(location.pathname, location.search);
const stopOf = (id: string) => STOPS.find((s) => s.id === id);

function changed(now: Open, before: Open) {
  if (now.stop !== before.stop) {
    stopOf(before.stop)?.left?.();
    stopOf(now.stop)?.entered?.();
    show({ lit: null });
  }
  // Names of another asset's parts mean nothing here.
  if (now.asset !== before.asset) show({ hidden: new Set(), solo: null, lit: null, sheet: 0 });
  const wanted = address(now);
  if (wanted === location.pathname + location.search) return;
  // The first asset that a page opens on is no step to go back from.
  if (before.asset === null) history.replaceState(null, "", wanted);
  else history.pushState(null, "", wanted);
}

/** Opens what the address says; done once, before anything is drawn. */
export function openAddress() {
  const named = here();
  open(named);
  // What names nothing that there is gives way to what is open.
  if (named.asset !== null) history.replaceState(null, "", address(named));
  stopOf(useOpen.getState().stop)?.entered?.();
}

/** Keeps the address and what is open in step. Called once, by the shell. */
export function useAddress() {
  useEffect(() => {
    const end = useOpen.subscribe(changed);
    const back = () => open(here());
    window.addEventListener("popstate", back);
    return () => {
      end();
      window.removeEventListener("popstate", back);
    };
  }, []);
  useExisting();
}

/** Opens the first asset where none is named: the lantern, in a demo. One that was deleted makes room for the next. */
function useExisting() {
  const assets = useAssets().data;
  const asset = useOpen((s) => s.asset);
  useEffect(() => {
    if (!assets || assets.some((a) => a.id === asset)) return;
    open({ asset: assets[0]?.id ?? null });
  }, [asset, assets]);
}
