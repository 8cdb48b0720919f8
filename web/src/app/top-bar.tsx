// The top bar: which asset, the command box, what is being baked, theme and help.
import { CircleHelp, CloudOff, Moon, Redo2, Square, Sun, Undo2 } from "lucide-react";
import { useEffect } from "react";
import { useDrafts } from "../api/drafts";
import { useProgress } from "../api/progress";
import { say, useActions, useAsset } from "../api/queries";
import { seconds } from "../ui/parts";
import { RUN_KINDS } from "../ui/run-kind";
import { Tip } from "../ui/tip";
import { AssetPicker } from "./asset-picker";
import { Mark } from "./mark";
import { setShell, toggleTheme, useShell } from "./state";

const ICON = "grid size-7 place-items-center rounded text-ink-2 hover:bg-sunk hover:text-ink";

export function TopBar() {
  const theme = useShell((s) => s.theme);
  return (
    <header className="flex h-11 items-center gap-2.5 px-3">
      <Mark />
      <b className="hidden text-lg tracking-tight sm:block">Ember Ridge</b>
      <span className="h-5 w-px bg-line" />
      <AssetPicker />
      <UndoRedo />
      <Unsaved />
      <button
        type="button"
        onClick={() => setShell({ commandOpen: true })}
        className="ml-auto flex h-7 w-[280px] min-w-0 items-center justify-between rounded bg-sunk px-2 text-ink-3 hover:text-ink-2"
      >
        <span className="truncate">Find a command, part or finding</span>
        <kbd className="num rounded-[3px] border border-line bg-sheet px-1">Ctrl K</kbd>
      </button>
      <JobChip />
      <button
        type="button"
        className={ICON}
        aria-label={theme === "day" ? "Night theme" : "Day theme"}
        onClick={toggleTheme}
      >
        {theme === "day" ? <Moon className="size-4" /> : <Sun className="size-4" />}
      </button>
      <button
        type="button"
        className={ICON}
        aria-label="Keyboard and mouse"
        onClick={() => setShell({ keysOpen: true })}
      >
        <CircleHelp className="size-4" />
      </button>
    </header>
  );
}

/** What the last edit was, and the one that was undone last. */
function UndoRedo() {
  const asset = useAsset().data;
  const { undo, redo } = useActions();
  if (!asset) return null;
  const buttons = [
    { name: "Undo", words: asset.undo, act: undo, icon: Undo2, keys: "Ctrl Z" },
    { name: "Redo", words: asset.redo, act: redo, icon: Redo2, keys: "Ctrl Shift Z" },
  ];
  return (
    <span className="flex">
      {buttons.map(({ name, words, act, icon: Icon, keys }) => (
        <Tip key={name} text={words ? `${name} (${keys}): ${words}` : `Nothing to ${name.toLowerCase()}`}>
          <button
            type="button"
            className={`${ICON} aria-disabled:text-ink-3 aria-disabled:hover:bg-transparent`}
            aria-label={words ? `${name}: ${words}` : name}
            aria-disabled={!words}
            onClick={() => words && act()}
          >
            <Icon className="size-4" />
          </button>
        </Tip>
      ))}
    </span>
  );
}

/** Says so while an edit is in this browser alone, and only then. */
function Unsaved() {
  const failing = useDrafts((s) => s.failing);
  const refused = useDrafts((s) => s.refused);
  useEffect(() => {
    if (!refused) return;
    say(new Error(refused));
    useDrafts.setState({ refused: null });
  }, [refused]);
  if (!failing) return null;
  return (
    <span role="status" title={failing} className="flex items-center gap-1.5 whitespace-nowrap">
      <CloudOff className="size-3.5 text-ochre-ink" /> Not saved yet
    </span>
  );
}

function JobChip() {
  const progress = useProgress((s) => s.running);
  const runs = useAsset().data?.runs ?? [];
  const { stop } = useActions();
  if (!progress) return null;
  const run = runs.find((r) => r.id === progress.run);
  return (
    <div role="status" aria-label="Bake running" className="flex items-center gap-2 whitespace-nowrap">
      <span
        className="size-3.5 rounded-full [mask:radial-gradient(circle,transparent_4px,#000_4.5px)]"
        style={{ background: `conic-gradient(var(--ember) ${progress.share * 100}%, var(--line) 0)` }}
      />
      <span className="hidden xl:inline">
        {run ? `${RUN_KINDS[run.kind]} ${run.size}: ` : ""}
        {progress.stage}
      </span>
      <b className="num">{Math.round(progress.share * 100)} %</b>
      {progress.left !== null && <span className="num text-ink-3">{seconds(progress.left)} left</span>}
      <button type="button" className={ICON} aria-label="Stop the bake" onClick={() => stop(progress.run)}>
        <Square className="size-3 fill-current" />
      </button>
    </div>
  );
}
