// Listens to the server for as long as the page is open.
import { useEffect } from "react";
import { assetKey } from "./drafts";
import { useProgress } from "./progress";
import { client } from "./query-client";
import type { Event } from "./types";

type Heard = { open: true } | { data: string };

/** Hears what the server tells, through the stream that all tabs share where the browser has such a thing. */
function listen(hear: (heard: Heard) => void): () => void {
  if (typeof SharedWorker === "undefined") {
    const source = new EventSource("/api/events");
    source.onopen = () => hear({ open: true });
    source.onmessage = (message) => hear({ data: message.data as string });
    return () => source.close();
  }
  const worker = new SharedWorker(new URL("./events.worker.ts", import.meta.url), {
    type: "module",
    name: "ember-ridge-events",
  });
  worker.port.onmessage = (message) => hear(message.data as Heard);
  worker.port.start();
  return () => worker.port.close();
}

export function useEvents() {
  useEffect(() => {
    let opened = false;
    return listen((heard) => {
      if ("open" in heard) {
        // The program was started again: what ran then does not run now.
        if (opened) {
          useProgress.setState({ running: null });
          client.invalidateQueries({ queryKey: ["assets"] });
          client.invalidateQueries({ queryKey: ["asset"] });
          client.invalidateQueries({ queryKey: ["run"] });
          client.invalidateQueries({ queryKey: ["hits"] });
          client.invalidateQueries({ queryKey: ["queue"] });
          client.invalidateQueries({ queryKey: ["batches"] });
          // What could not be read while it was down.
          client.invalidateQueries({ predicate: (query) => query.state.status === "error" });
        }
        opened = true;
        return;
      }
      const event = JSON.parse(heard.data) as Event;
      const { running, intake, relaxing } = useProgress.getState();
      if (event.event === "progress") {
        useProgress.setState({ running: event });
      } else if (event.event === "ended") {
        if (running?.run === event.run) useProgress.setState({ running: null });
        client.invalidateQueries({ queryKey: ["hits"] });
      } else if (event.event === "queue") {
        client.invalidateQueries({ queryKey: ["queue"] });
        client.invalidateQueries({ queryKey: ["batches"] });
      } else if (event.event === "relaxing") {
        const known = relaxing?.asset === event.asset ? relaxing.energies : [];
        useProgress.setState({ relaxing: { asset: event.asset, energies: [...known, event.energy] } });
      } else if (event.event === "intake") {
        useProgress.setState({ intake: { ...intake, [event.file]: event.stage } });
      } else {
        client.invalidateQueries({ queryKey: ["assets"] });
        client.invalidateQueries({ queryKey: event.asset === 0 ? ["asset"] : assetKey(event.asset) });
      }
    });
  }, []);
}
