// One stream of events for all tabs: a browser keeps few connections to one place open, and each tab's own would use them up.
interface SharedScope {
  onconnect: ((event: MessageEvent) => void) | null;
}
const scope = self as unknown as SharedScope;

const ports: MessagePort[] = [];
const tell = (message: { open: true } | { data: string }) => {
  for (const port of ports) port.postMessage(message);
};

const source = new EventSource("/api/events");
source.onopen = () => tell({ open: true });
source.onmessage = (message) => tell({ data: message.data as string });

scope.onconnect = (event) => {
  const port = event.ports[0];
  if (!port) return;
  ports.push(port);
  if (source.readyState === EventSource.OPEN) port.postMessage({ open: true });
};
