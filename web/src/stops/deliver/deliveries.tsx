// What was delivered of the asset, newest first: read back, changed since the one before, to look at and to take away.
import { CircleAlert, CircleCheck, Download, ScanEye } from "lucide-react";
import { deliveredUrl, deliveryZipUrl } from "../../api/client";
import type { DeliveryView } from "../../api/types";
import { Failed } from "../../ui/failed";
import { Fold } from "../../ui/fold";
import { bytes, Section } from "../../ui/parts";
import { useDeliveries } from "./state";

export function Deliveries() {
  const asked = useDeliveries();
  const list = asked.data ?? [];
  if (asked.isError)
    return (
      <Section title="Delivered">
        <Failed of={asked} />
      </Section>
    );
  if (list.length === 0) return null;
  return (
    <Section title="Delivered" aside={<span className="num text-ink-3">{list.length}</span>}>
      <ul className="divide-y divide-line">
        {list.map((delivery, at) => (
          <Delivery key={delivery.id} delivery={delivery} newest={at === 0} />
        ))}
      </ul>
    </Section>
  );
}

const link =
  "inline-flex h-7 items-center justify-center gap-1.5 rounded border border-line bg-sheet px-2.5 font-[560] hover:bg-sunk";

function Delivery({ delivery, newest }: { delivery: DeliveryView; newest: boolean }) {
  const { id, asset, folder, place, version, run, made, files, checks, changes } = delivery;
  if (id === null || made === null) return null;
  const wrong = checks.filter((check) => !check.fine);
  // Pictures of the run tell how they are read; the contact sheet is none of them.
  const contact = files.find((file) => !file.picture && file.file.endsWith("_contact.png"));
  const glb = files.find((file) => file.file.endsWith(".glb"));
  const sum = files.reduce((all, file) => all + file.bytes, 0);
  const when = new Date(made * 1000).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
  return (
    <li className="py-2" aria-label={`${folder}, version ${version}`}>
      <div className="flex items-baseline justify-between gap-2">
        <b className="truncate" title={place}>
          {folder}
        </b>
        <span className="num shrink-0 text-ink-3">
          v{version}, run {run}
        </span>
      </div>
      <p className="text-ink-3">
        {when}, {files.length} files, <span className="num">{bytes(sum)}</span>
      </p>
      <p className={`flex items-center gap-1.5 ${wrong.length ? "text-madder" : "text-ink-2"}`}>
        {wrong.length ? <CircleAlert className="size-3.5" /> : <CircleCheck className="size-3.5 text-moss" />}
        {wrong.length
          ? `${wrong.length} of ${checks.length} checks failed`
          : `Read back: ${checks.length} checks, all fine`}
      </p>
      {newest && contact && (
        <a href={deliveredUrl(id, contact.file)} target="_blank" rel="noreferrer" className="mt-1.5 block">
          <img
            src={deliveredUrl(id, contact.file)}
            alt={`Contact sheet of ${folder}`}
            className="w-full rounded"
          />
        </a>
      )}
      {version > 1 && changes.length === 0 && (
        <p className="text-ink-2">The same files as version {version - 1}</p>
      )}
      {changes.length > 0 && (
        <Fold
          title={`${changes.length} ${changes.length === 1 ? "change" : "changes"} since version ${version - 1}`}
          startsOpen={newest}
        >
          <ul className="list-disc pl-3">
            {changes.map((change) => (
              <li key={change} className="break-words">
                {change}
              </li>
            ))}
          </ul>
        </Fold>
      )}
      <Fold title="Checks">
        <ul>
          {checks.map((check) => (
            <li key={`${check.file} ${check.what} ${check.found}`} className="py-0.5">
              <span className={check.fine ? "" : "text-madder"}>
                {check.file}, {check.what}
              </span>
              <span className="block text-ink-3">
                {check.found}
                {check.remedy && `. ${check.remedy}`}
              </span>
            </li>
          ))}
        </ul>
      </Fold>
      <div className="mt-1.5 flex gap-1.5">
        <a href={deliveryZipUrl(id)} download className={link}>
          <Download className="size-3.5" /> Zip
        </a>
        {glb && (
          <a
            href={`/receiver.html?asset=${asset}&delivery=${id}&file=${encodeURIComponent(glb.file)}`}
            target="_blank"
            rel="noreferrer"
            className={link}
          >
            <ScanEye className="size-3.5" /> Receiver
          </a>
        )}
      </div>
    </li>
  );
}
