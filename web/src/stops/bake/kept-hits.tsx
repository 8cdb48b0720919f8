// What the rays of finals hit, kept on the disk: how much, and how much there may be.
import { useKeptHits } from "../../api/queries";
import { Choice } from "../../ui/choice";
import { Failed } from "../../ui/failed";
import { bytes } from "../../ui/parts";

const GIGABYTE = 1e9;
const ROOM = ["0", "1", "2", "4", "8", "16", "32", "64"] as const;

export function KeptHits() {
  const { asked, setMost } = useKeptHits();
  const kept = asked.data;
  if (!kept) return <Failed of={asked} />;
  const most = String(kept.most / GIGABYTE);
  const listed = ROOM.find((r) => r === most);
  const options = ROOM.map((r) => [r, r === "0" ? "None" : `Up to ${r} GB`] as const);
  const own = listed ? [] : [[most, `Up to ${bytes(kept.most)}`] as const];
  return (
    <Choice<string>
      label="Kept ray hits"
      hint={`Later finals reuse them when only maps change. ${
        kept.held > 0
          ? `${bytes(kept.held)} on disk; the least recently used are removed first.`
          : "None are kept yet."
      }`}
      value={most}
      options={[...options, ...own]}
      onChange={(gigabytes) => setMost(Number(gigabytes) * GIGABYTE)}
    />
  );
}
