// Every request the page makes, in one file. Errors carry the server's own sentence.
import type {
  AssetLine,
  AssetView,
  Change,
  Conflict,
  Facing,
  Freed,
  KeptHitsView,
  MapLine,
  PictureLine,
  Problem,
  Recipe,
  Role,
  RunDetail,
  RunKind,
  RunPage,
  RunView,
  Stroke,
  Swatch,
  TexelView,
  TraceView,
  UvReport,
} from "./types";

export class RequestFailed extends Error {
  constructor(
    readonly status: number,
    message: string,
    /** Places that an edit and the asset as it stands both changed. */
    readonly conflicts: Conflict[] = [],
  ) {
    super(message);
  }
}

const UNREACHABLE = "The program does not answer. Start it again and reload this page; nothing is lost.";

function failure(status: number, body: string): RequestFailed {
  try {
    const problem = JSON.parse(body) as Problem;
    return new RequestFailed(status, problem.error, problem.conflicts);
  } catch {
    return new RequestFailed(
      status,
      status === 0 ? UNREACHABLE : `The program answered with status ${status}.`,
    );
  }
}

async function ask(path: string, init?: RequestInit): Promise<Response> {
  const response = await fetch(`/api${path}`, init).catch(() => {
    throw new RequestFailed(0, UNREACHABLE);
  });
  if (!response.ok) throw failure(response.status, await response.text());
  return response;
}

async function json<T>(
  path: string,
  method = "GET",
  body?: unknown,
  more: Record<string, string> = {},
): Promise<T> {
  const init = body === undefined ? { method } : { method, body: JSON.stringify(body) };
  const headers = { "Content-Type": "application/json", ...more };
  return (await ask(path, { ...init, headers })).json() as Promise<T>;
}

/** Asks about a recipe that is not kept. */
const draft = (path: string, recipe: Recipe) =>
  ask(path, {
    method: "POST",
    body: JSON.stringify(recipe),
    headers: { "Content-Type": "application/json" },
  });

export const api = {
  assets: () => json<AssetLine[]>("/assets"),
  addAsset: (name: string) => json<AssetView>("/assets", "POST", { name }),
  asset: (id: number) => json<AssetView>(`/assets/${id}`),
  /** Lays changes, made to a revision, over the recipe as it stands. */
  change: (id: number, base: number, changes: Change[]) =>
    json<AssetView>(`/assets/${id}/recipe`, "PATCH", changes, { "If-Match": `"${base}"` }),
  deleteAsset: (id: number) => json<Freed>(`/assets/${id}`, "DELETE"),
  assetFrees: (id: number) => json<Freed>(`/assets/${id}/frees`),
  runs: (id: number, before: number) => json<RunPage>(`/assets/${id}/runs?before=${before}`),
  run: (id: number) => json<RunDetail>(`/runs/${id}`),
  deleteRun: (id: number) => json<Freed>(`/runs/${id}`, "DELETE"),
  runFrees: (id: number) => json<Freed>(`/runs/${id}/frees`),
  undo: (id: number) => json<AssetView>(`/assets/${id}/undo`, "POST"),
  redo: (id: number) => json<AssetView>(`/assets/${id}/redo`, "POST"),
  envelope: async (id: number, recipe: Recipe, needles: number, part: string | null) => {
    const of = part === null ? "" : `&part=${encodeURIComponent(part)}`;
    return (await draft(`/assets/${id}/envelope?needles=${needles}${of}`, recipe)).arrayBuffer();
  },
  look: async (id: number, recipe: Recipe, map: string, sheet: number) =>
    (await draft(`/assets/${id}/look?map=${map}&sheet=${sheet}`, recipe)).blob(),
  plumbMask: async (id: number, recipe: Recipe, sheet: number) =>
    (await draft(`/assets/${id}/plumb?sheet=${sheet}`, recipe)).blob(),
  upright: (id: number, recipe: Recipe) => json<Stroke[]>(`/assets/${id}/upright`, "POST", recipe),
  trace: (run: number, sheet: number, x: number, y: number) =>
    json<TraceView>(`/runs/${run}/trace?x=${x}&y=${y}&sheet=${sheet}`),
  bake: (id: number, kind: RunKind) => json<RunView>(`/assets/${id}/runs`, "POST", { kind }),
  again: (run: number) => json<RunView>(`/runs/${run}/again`, "POST"),
  stop: (run: number) => ask(`/runs/${run}/stop`, { method: "POST" }).then(() => undefined),
  hits: () => json<KeptHitsView>("/hits"),
  keepHits: (most: number) => json<KeptHitsView>(`/hits?most=${most}`, "PUT"),
  maps: () => json<MapLine[]>("/maps"),
  uvs: (id: number) => json<UvReport | null>(`/assets/${id}/uvs`),
  makePlane: (id: number, facing: Facing) => json<AssetView>(`/assets/${id}/plane?facing=${facing}`, "POST"),
  swatches: (id: number) => json<Swatch[]>(`/assets/${id}/swatches`),
  texel: (run: number, sheet: number, x: number, y: number) =>
    json<TexelView>(`/runs/${run}/texel?x=${x}&y=${y}&sheet=${sheet}`),
  display: async (id: number, side: "low" | "high", signal?: AbortSignal) =>
    (await ask(`/assets/${id}/display/${side}`, { signal })).arrayBuffer(),
};

/** A picture by its content. */
export const pictureUrl = (hash: string) => `/api/pictures/${hash}`;
/** A map of a run as it can be shown; null when there is none. */
export const mapUrl = (run: { pictures: PictureLine[] }, map: string, sheet: number) => {
  const picture = run.pictures.find((p) => p.map === map && p.sheet === sheet);
  return picture ? pictureUrl(picture.hash) : null;
};
export const liveUrl = (run: number, map: string, sheet: number, turn: number) =>
  `/api/runs/${run}/live/${map}?sheet=${sheet}&turn=${turn}`;
export const cageUrl = (asset: number, format: "glb" | "obj") => `/api/assets/${asset}/cage?format=${format}`;
export const packageUrl = (run: number) => `/api/runs/${run}/package`;

/** Sends a picture that bakes will read. */
export async function sendPicture(
  asset: number,
  use: "normal-map" | "color",
  file: File,
): Promise<AssetView> {
  const path = `/assets/${asset}/pictures?file=${encodeURIComponent(file.name)}&used_as=${use}`;
  return (await ask(path, { method: "POST", body: file })).json() as Promise<AssetView>;
}

/**
 * Sends a mesh file and, ahead of it in the same body, files it may name; `onShare` hears 0..1 while it goes up, and 1 once the
 * server reads it.
 */
export function sendMesh(
  asset: number,
  role: Role,
  file: File,
  replaces: string | null,
  beside: File[],
  onShare: (share: number) => void,
): { done: Promise<AssetView>; abort: () => void } {
  const request = new XMLHttpRequest();
  const done = new Promise<AssetView>((resolve, reject) => {
    const old = replaces === null ? "" : `&replaces=${encodeURIComponent(replaces)}`;
    const list = JSON.stringify(beside.map((f) => ({ file: f.name, bytes: f.size })));
    const ahead = beside.length === 0 ? "" : `&beside=${encodeURIComponent(list)}`;
    request.open(
      "POST",
      `/api/assets/${asset}/meshes?file=${encodeURIComponent(file.name)}&role=${role}${old}${ahead}`,
    );
    request.upload.onprogress = (e) => onShare(e.loaded / Math.max(1, e.total));
    request.onload = () =>
      request.status === 200
        ? resolve(JSON.parse(request.responseText) as AssetView)
        : reject(failure(request.status, request.responseText));
    request.onerror = () => reject(new RequestFailed(0, UNREACHABLE));
    request.onabort = () => reject(new RequestFailed(0, `${file.name}: stopped; nothing of it was kept.`));
    request.send(new Blob([...beside, file]));
  });
  return { done, abort: () => request.abort() };
}
