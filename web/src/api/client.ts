// Every request the page makes, in one file, over the client that is typed by the API's description. Errors carry the server's
// own sentence.
import createClient from "openapi-fetch";
import type {
  Acceptance,
  AskedByExample,
  AssetView,
  BatchOrder,
  Change,
  Conflict,
  DeliveryOrder,
  Facing,
  FixOrder,
  KeptFinishes,
  KeptMasks,
  LowPolyOrder,
  Mend,
  Mends,
  MeshFormat,
  PickedPlace,
  PictureUse,
  Profile,
  paths,
  Recipe,
  RegionBy,
  RegionRectangle,
  Role,
  RunKind,
  RunLabel,
  Side,
  UvOrder,
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

function failure(status: number, problem: unknown): RequestFailed {
  if (problem !== null && typeof problem === "object" && "error" in problem) {
    const { error, conflicts } = problem as { error: string; conflicts?: Conflict[] };
    return new RequestFailed(status, error, conflicts);
  }
  return new RequestFailed(status, `The program answered with status ${status}.`);
}

const { GET, POST, PUT, PATCH, DELETE } = createClient<paths>({
  baseUrl: `${location.origin}/api`,
  // Looked up at each call: whoever replaces the browser's own is heard.
  fetch: (request) => globalThis.fetch(request),
});

/** What an answer holds; its fault is thrown. */
async function held<T>(asked: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const { data, error, response } = await asked.catch(() => {
    throw new RequestFailed(0, UNREACHABLE);
  });
  if (!response.ok) throw failure(response.status, error);
  return data as T;
}

/** Which runs are wanted; all of them where nothing is said. */
export interface RunFilter {
  kind?: RunKind;
  map?: string;
  finding?: string;
  starred?: boolean;
}

const path = (id: number) => ({ params: { path: { id } } });
const bytes = { parseAs: "arrayBuffer" } as const;
const picture = { parseAs: "blob" } as const;
/** The type says text where a body is bytes: OpenAPI has no other word for them. */
const raw = <T>(asked: Promise<unknown>) => asked as Promise<T>;

export const api = {
  assets: () => held(GET("/assets")),
  addAsset: (name: string) => held(POST("/assets", { body: { name } })),
  asset: (id: number) => held(GET("/assets/{id}", path(id))),
  /** Lays changes, made to a revision, over the recipe as it stands. */
  change: (id: number, base: number, body: Change[]) =>
    held(
      PATCH("/assets/{id}/recipe", { params: { path: { id }, header: { "If-Match": `"${base}"` } }, body }),
    ),
  deleteAsset: (id: number) => held(DELETE("/assets/{id}", path(id))),
  assetFrees: (id: number) => held(GET("/assets/{id}/frees", path(id))),
  runs: (id: number, before: number, wanted: RunFilter = {}) =>
    held(GET("/assets/{id}/runs", { params: { path: { id }, query: { before, ...wanted } } })),
  labelRun: (id: number, body: Partial<RunLabel>) =>
    held(PUT("/runs/{id}/label", { ...path(id), body: body as RunLabel })),
  restoreRun: (id: number) => held(POST("/runs/{id}/restore", path(id))),
  proofRoom: () => held(GET("/proof-room")),
  setProofRoom: (most: number) => held(PUT("/proof-room", { body: { most } })),
  run: (id: number) => held(GET("/runs/{id}", path(id))),
  deleteRun: (id: number) => held(DELETE("/runs/{id}", path(id))),
  runFrees: (id: number) => held(GET("/runs/{id}/frees", path(id))),
  undo: (id: number) => held(POST("/assets/{id}/undo", path(id))),
  redo: (id: number) => held(POST("/assets/{id}/redo", path(id))),
  envelope: (id: number, body: Recipe, needles: number, part: string | null) => {
    const query = part === null ? { needles } : { needles, part };
    return raw<ArrayBuffer>(
      held(POST("/assets/{id}/envelope", { params: { path: { id }, query }, body, ...bytes })),
    );
  },
  look: (id: number, body: Recipe, map: string, sheet: number) => {
    const params = { path: { id }, query: { map, sheet } };
    return raw<Blob>(held(POST("/assets/{id}/look", { params, body, ...picture })));
  },
  plumbMask: (id: number, body: Recipe, sheet: number) => {
    const params = { path: { id }, query: { sheet } };
    return raw<Blob>(held(POST("/assets/{id}/plumb", { params, body, ...picture })));
  },
  upright: (id: number, body: Recipe) => held(POST("/assets/{id}/upright", { ...path(id), body })),
  trace: (id: number, sheet: number, x: number, y: number) =>
    held(GET("/runs/{id}/trace", { params: { path: { id }, query: { sheet, x, y } } })),
  bakeRegion: (id: number, run: number, rectangles: RegionRectangle[]) =>
    held(POST("/assets/{id}/runs", { ...path(id), body: { kind: "final", region: { run, rectangles } } })),
  bake: (id: number, kind: RunKind, onCluster: boolean) =>
    held(POST("/assets/{id}/runs", { ...path(id), body: { kind, on_cluster: onCluster } })),
  again: (run: number) => held(POST("/runs/{id}/again", path(run))),
  stop: (run: number) => held(POST("/runs/{id}/stop", path(run))),
  resume: (run: number, here: boolean) =>
    held(POST("/runs/{id}/resume", { params: { path: { id: run }, query: { here } } })),
  clusters: () => held(GET("/clusters")),
  hold: (run: number, on: boolean) => held(POST("/runs/{id}/hold", { ...path(run), body: { held: on } })),
  queue: () => held(GET("/queue")),
  batches: () => held(GET("/batches")),
  startBatch: (body: BatchOrder) => held(POST("/batches", { body })),
  compare: (id: number, other: number) =>
    held(GET("/runs/{id}/compare/{other}", { params: { path: { id, other } } })),
  /** A map of a run with mends drawn onto it. */
  mended: (run: number, map: string, sheet: number, body: Mends) => {
    const params = { path: { id: run, map }, query: { sheet } };
    return raw<Blob>(held(POST("/runs/{id}/mended/{map}", { params, body, ...picture })));
  },
  /** A new mend with what lies beneath it on a run. */
  beneath: (run: number, body: Mend) => held(POST("/runs/{id}/beneath", { ...path(run), body })),
  distribution: (id: number, map: string, sheet: number) =>
    held(GET("/runs/{id}/distribution/{map}", { params: { path: { id, map }, query: { sheet } } })),
  mips: (id: number, sheet: number) =>
    held(GET("/runs/{id}/mips", { params: { path: { id }, query: { sheet } } })),
  subdivisions: (id: number) => held(GET("/runs/{id}/subdivisions", path(id))),
  displaced: (id: number, level: number, signal?: AbortSignal) => {
    const params = { path: { id }, query: { level } };
    return raw<ArrayBuffer>(held(GET("/runs/{id}/displaced", { params, signal, ...bytes })));
  },
  /** What a run's files say of the sculpt. */
  truths: (id: number) => held(GET("/runs/{id}/truths", path(id))),
  preflight: (id: number) => held(GET("/assets/{id}/preflight", path(id))),
  profiles: () => held(GET("/profiles")),
  keepProfile: (body: Profile) => held(PUT("/profiles", { body })),
  dropProfile: (name: string) => held(DELETE("/profiles/{name}", { params: { path: { name } } })),
  /** What a delivery would write, and what stands against it. */
  deliveryPlan: (run: number, body: DeliveryOrder) =>
    held(POST("/runs/{id}/delivery-plan", { ...path(run), body })),
  deliver: (run: number, body: DeliveryOrder) => held(POST("/runs/{id}/deliveries", { ...path(run), body })),
  deliveries: (id: number) => held(GET("/assets/{id}/deliveries", path(id))),
  orderQueue: (runs: number[]) => held(PUT("/queue", { body: { runs } })),
  hits: () => held(GET("/hits")),
  keepHits: (most: number) => held(PUT("/hits", { body: { most } })),
  maps: () => held(GET("/maps")),
  choices: () => held(GET("/choices")),
  offers: (id: number, files: string[]) =>
    held(POST("/assets/{id}/offers", { ...path(id), body: { files } })),
  findings: (id: number) => held(GET("/assets/{id}/findings", path(id))),
  takeFixes: (id: number, body: FixOrder[]) => held(POST("/assets/{id}/fixes", { ...path(id), body })),
  accept: (id: number, body: Acceptance) => held(PUT("/assets/{id}/acceptance", { ...path(id), body })),
  sheets: (run: number) => held(GET("/runs/{id}/sheets", path(run))),
  uvs: (id: number) => held(GET("/assets/{id}/uvs", path(id))),
  makePlane: (id: number, facing: Facing) =>
    held(POST("/assets/{id}/plane", { ...path(id), body: { facing } })),
  levels: (id: number) => held(GET("/assets/{id}/levels", path(id))),
  lowOff: (id: number) => held(GET("/assets/{id}/low-off", path(id))),
  makeLowPoly: (id: number, body: LowPolyOrder) => held(POST("/assets/{id}/low-poly", { ...path(id), body })),
  uvState: (id: number) => held(GET("/assets/{id}/uv-state", path(id))),
  uvFalloff: (id: number, triangle: number, within: number) =>
    held(GET("/assets/{id}/uv-falloff", { params: { path: { id }, query: { triangle, within } } })),
  editUvs: (id: number, body: UvOrder) => held(POST("/assets/{id}/uv-steps", { ...path(id), body })),
  swatches: (id: number) => held(GET("/assets/{id}/swatches", path(id))),
  texel: (id: number, sheet: number, x: number, y: number) =>
    held(GET("/runs/{id}/texel", { params: { path: { id }, query: { sheet, x, y } } })),
  /** `before`: the low-poly without its steps on UVs. */
  display: (id: number, side: Side, before: boolean, signal?: AbortSignal) => {
    const params = { path: { id, side }, query: { before } };
    return raw<ArrayBuffer>(held(GET("/assets/{id}/display/{side}", { params, signal, ...bytes })));
  },
  maskChoices: () => held(GET("/mask-choices")),
  presets: (id: number) => held(GET("/assets/{id}/presets", path(id))),
  mask: (id: number, body: Recipe, mask: string) =>
    held(POST("/assets/{id}/mask", { params: { path: { id }, query: { mask } }, body })),
  maskAt: (id: number, recipe: Recipe, mask: string, at: PickedPlace) =>
    held(POST("/assets/{id}/mask-at", { params: { path: { id }, query: { mask } }, body: { recipe, at } })),
  regionAt: (id: number, recipe: Recipe, by: RegionBy, at: PickedPlace) =>
    held(POST("/assets/{id}/region-at", { params: { path: { id }, query: { by } }, body: { recipe, at } })),
  proposals: (id: number, body: AskedByExample) =>
    held(POST("/assets/{id}/proposals", { ...path(id), body })),
  readyFinishes: (id: number) => held(GET("/assets/{id}/ready-finishes", path(id))),
  finishes: (id: number, body: Recipe) => held(POST("/assets/{id}/finishes", { ...path(id), body })),
  /** Finishes in lengths that suit an asset. */
  fitFinishes: (id: number, body: KeptFinishes) =>
    held(POST("/assets/{id}/kept-finishes", { ...path(id), body })),
  /** Finishes with the files that they read. */
  exportFinishes: (body: KeptFinishes) => held(POST("/exported-finishes", { body })),
  finishPictures: (id: number, body: KeptFinishes) =>
    held(POST("/assets/{id}/finish-pictures", { ...path(id), body })),
  finishLibrary: () => held(GET("/finish-library")),
  keepFinishes: (body: KeptFinishes) => held(PUT("/finish-library", { body })),
  dropFinish: (name: string) => held(DELETE("/finish-library/{name}", { params: { path: { name } } })),
  material: (id: number, body: Recipe, sheet: number) =>
    held(POST("/assets/{id}/material", { params: { path: { id }, query: { sheet } }, body })),
  /** The maps of a material as a draft makes them now, beside a run's, and how far they are apart. */
  againstLive: (run: number, body: Recipe, sheet: number) =>
    held(POST("/runs/{id}/against-live", { params: { path: { id: run }, query: { sheet } }, body })),
  coatPictures: (id: number, body: Recipe, finish: string) =>
    held(POST("/assets/{id}/coat-pictures", { params: { path: { id }, query: { finish } }, body })),
  measuring: (id: number) => held(GET("/assets/{id}/measuring", path(id))),
  maskPictures: (id: number, body: Recipe) => held(POST("/assets/{id}/mask-pictures", { ...path(id), body })),
  /** Masks in lengths that suit an asset. */
  fitMasks: (id: number, body: KeptMasks) => held(POST("/assets/{id}/masks", { ...path(id), body })),
  maskLibrary: () => held(GET("/mask-library")),
  keepMasks: (body: KeptMasks) => held(PUT("/mask-library", { body })),
  dropMask: (name: string) => held(DELETE("/mask-library/{name}", { params: { path: { name } } })),
  /** Sends a picture that a term of a mask reads. */
  sendMaskPicture: (id: number, mask: string, term: number, file: File) => {
    const params = { path: { id }, query: { file: file.name, used_as: "mask" as const, mask, term } };
    const body = file as unknown as string;
    return held(POST("/assets/{id}/pictures", { params, body, bodySerializer: () => file }));
  },
  /** Sends a picture that a coat sets a channel to, or that a term of its place reads. */
  sendCoatPicture: (
    id: number,
    of: { finish: string; coat: string; channel?: string; term?: number },
    file: File,
  ) => {
    const params = { path: { id }, query: { file: file.name, used_as: "coat" as const, ...of } };
    const body = file as unknown as string;
    return held(POST("/assets/{id}/pictures", { params, body, bodySerializer: () => file }));
  },
  /** Sends a MaterialX document and, ahead of it in the same body, pictures it may name. */
  sendDocument: (id: number, file: File, pictures: File[]) => {
    const beside = pictures.map((f) => `${f.name}:${f.size}`);
    const params = { path: { id }, query: { file: file.name, ...(beside.length > 0 ? { beside } : {}) } };
    const body = file as unknown as string;
    return held(
      POST("/assets/{id}/documents", { params, body, bodySerializer: () => new Blob([...pictures, file]) }),
    );
  },
  /** What map files of another program are taken for by their names. */
  sortMaps: (id: number, files: string[]) =>
    held(POST("/assets/{id}/sorted-maps", { ...path(id), body: { files } })),
  /** Sends map files of another program, one after the other, to be a run of their own. */
  importMaps: (
    id: number,
    lines: readonly { file: File; map: string | null; sheet: number | null }[],
    reading: { green: "up" | "down" | null; scale: number | null },
  ) => {
    const query = {
      file: lines.map(({ file }) => `${file.name}:${file.size}`),
      map: lines.map(({ map }) => map ?? ""),
      sheet: lines.map(({ sheet }) => sheet ?? 0),
      ...(reading.green === null ? {} : { green: reading.green }),
      ...(reading.scale === null ? {} : { scale: reading.scale }),
    };
    const body = lines[0]?.file as unknown as string;
    const bodySerializer = () => new Blob(lines.map(({ file }) => file));
    return held(
      POST("/assets/{id}/imported-runs", { params: { path: { id }, query }, body, bodySerializer }),
    );
  },
  /** Sends a picture that bakes will read. */
  sendPicture: (id: number, used_as: PictureUse, file: File) => {
    const params = { path: { id }, query: { file: file.name, used_as } };
    const body = file as unknown as string;
    return held(POST("/assets/{id}/pictures", { params, body, bodySerializer: () => file }));
  },
};

/** A picture by its content. */
export const pictureUrl = (hash: string) => `/api/pictures/${hash}`;
export const liveUrl = (run: number, map: string, sheet: number, turn: number) =>
  `/api/runs/${run}/live/${map}?sheet=${sheet}&turn=${turn}`;
export const differenceUrl = (run: number, other: number, map: string, most: number, sheet: number) =>
  `/api/runs/${run}/difference/${other}/${map}?most=${most}&sheet=${sheet}`;
export const heatUrl = (run: number, of: string, most: number, sheet: number) =>
  `/api/runs/${run}/heat?of=${of}&most=${most}&sheet=${sheet}`;
export const mixingUrl = (run: number, level: number, sheet: number) =>
  `/api/runs/${run}/mixing?level=${level}&sheet=${sheet}`;
export const cageUrl = (asset: number, format: MeshFormat) => `/api/assets/${asset}/cage?format=${format}`;
/** The low-poly as its steps have left it. */
export const lowPolyUrl = (asset: number, format: MeshFormat) =>
  `/api/assets/${asset}/low-poly?format=${format}`;
export const masksUrl = (asset: number) => `/api/assets/${asset}/masks`;
/** A delivery as a zip. */
export const deliveryZipUrl = (delivery: number) => `/api/deliveries/${delivery}/zip`;
/** The maps of a run as they were baked, as a zip. */
export const packageUrl = (run: number) => `/api/runs/${run}/package`;
/** A file of a delivery. */
export const deliveredUrl = (delivery: number, file: string) =>
  `/api/deliveries/${delivery}/files/${file.split("/").map(encodeURIComponent).join("/")}`;

/**
 * Sends a mesh file and, ahead of it in the same body, files it may name; `onShare` hears 0..1 while it goes up, and 1 once the
 * server reads it. By XMLHttpRequest, which alone tells how much has gone up.
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
    const query = new URLSearchParams({ file: file.name, role });
    if (replaces !== null) query.set("replaces", replaces);
    for (const f of beside) query.append("beside", `${f.name}:${f.size}`);
    request.open("POST", `/api/assets/${asset}/meshes?${query}`);
    request.responseType = "json";
    request.upload.onprogress = (e) => onShare(e.loaded / Math.max(1, e.total));
    request.onload = () =>
      request.status === 200
        ? resolve(request.response as AssetView)
        : reject(failure(request.status, request.response));
    request.onerror = () => reject(new RequestFailed(0, UNREACHABLE));
    request.onabort = () => reject(new RequestFailed(0, `${file.name}: stopped; nothing of it was kept.`));
    request.send(new Blob([...beside, file]));
  });
  return { done, abort: () => request.abort() };
}
