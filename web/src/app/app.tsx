// The shell: top bar, trail, the stop's panel beside the two stages, the ledger.
import { useEffect } from "react";
import { Toaster } from "sonner";
import { useEvents } from "../api/events";
import { useProofs } from "../api/proofs";
import { useAsset, useSaving } from "../api/queries";
import { useFollowing } from "../stops/reach/live";
import { TipProvider } from "../ui/tip";
import { useAddress } from "./address";
import { Guard } from "./boundary";
import { CommandBox } from "./command-box";
import { ConflictDialog } from "./conflict-dialog";
import { DropAnywhere } from "./drop-anywhere";
import { useKeys } from "./keys";
import { KeysHelp } from "./keys-help";
import { Ledger } from "./ledger";
import { Workspace } from "./stages";
import { useShell } from "./state";
import { useTab } from "./tab";
import { TopBar } from "./top-bar";
import { Trail } from "./trail";

const follows = () => useProofs.getState().follow;

/** What goes on while the page is open, apart from what is drawn of it: its changes re-render nothing else. */
function Running() {
  useEvents();
  useSaving(follows);
  useKeys();
  useFollowing();
  useAddress();
  return null;
}

/** The browser's tab follows a bake many times a second; nothing else is rendered with it. */
function Tab() {
  useTab(useAsset().data?.name);
  return null;
}

export function App() {
  const theme = useShell((s) => s.theme);
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  return (
    <TipProvider delayDuration={350}>
      <div className="grid h-full grid-rows-[44px_42px_1fr_auto]">
        <Running />
        <Tab />
        <TopBar />
        <Trail />
        <main className="grid min-h-0">
          <Workspace />
        </main>
        <Guard name="The ledger">
          <Ledger />
        </Guard>
        <CommandBox />
        <KeysHelp />
        <ConflictDialog />
        <DropAnywhere />
        <Toaster
          theme={theme === "night" ? "dark" : "light"}
          position="bottom-right"
          closeButton
          offset={110}
        />
      </div>
    </TipProvider>
  );
}
