import createClient from 'openapi-fetch';
import type { components, paths } from './schema';

type Schemas = components['schemas'];
export type AboutAnswer = Schemas['About'];
export type BatchSummary = Schemas['BatchSummary'];
export type Batch = Schemas['Batch'];
export type DocumentSummary = Schemas['DocumentSummary'];
export type Document = Schemas['Document'];
export type PageSummary = Schemas['PageSummary'];
export type Page = Schemas['Page'];
export type PageContent = Schemas['PageContent'];
export type Region = Schemas['Region'];
export type Line = Schemas['Line'];
export type Word = Schemas['Word'];
export type Role = Schemas['Role'];
export type Subject = Schemas['Subject'];
export type OpenDoubt = Schemas['OpenDoubt'];
export type Treatment = Schemas['Treatment'];
/** Every step automatic, nothing erased: the server fills in what is not said. */
export const AUTOMATIC = {} as Treatment;
export type Finding = Schemas['Finding'];
export type Applied = Schemas['Applied'];
export type Patch = Schemas['Patch'];
export type Preview = Schemas['Preview'];
export type View = 'page' | 'before' | 'spread' | 'upright' | 'sheet';
export type NamedTreatment = Schemas['NamedTreatment'];
export type Audience = 'page' | 'selection' | 'document' | 'batch';
export type Operation = Schemas['Edit']['operation'];
export type Change = Schemas['Change'];
export type Changed = Schemas['Changed'];
export type StageId = Schemas['Stage'];
export type FlowItem = Schemas['FlowItem'];
export type FlowPart = Schemas['FlowPart'];
export type Intake = Schemas['Intake'];
export type TextFrom = Page['text_from'];
export type Started = Schemas['Started'];
export type WordHelp = Schemas['WordHelp'];
export type Left = Schemas['Left'];
export type Found = Schemas['Found'];
export type FoundPlace = Schemas['FoundPlace'];
export type Way = Schemas['Way'];
export type Sought = { text: string; way: Way; exact: boolean; role?: Role; language?: string };
export type Sample = Schemas['Sample'];
export type Slip = Schemas['Slip'];
export type Slips = Schemas['Slips'];
export type SettledWord = Schemas['WordSettled'];
export type Characters = Schemas['Characters'];
export type Style = Schemas['Style'];
export type Rule = Schemas['RuleTold'];
export type Standing = Schemas['Standing'];
export type ToJudge = Schemas['ToJudge'];
export type Said = Schemas['SaidAloud'];
export type SpokenPart = Schemas['SpokenPart'];
export type LabelRange = Schemas['LabelRange'];
export type Particulars = Schemas['Particulars'];
export type Picture = Schemas['Picture'];
export type DeliveryOptions = Schemas['DeliveryOptions'];
export type DeliverySet = Schemas['NamedDeliverySet'];
export type ToBeMade = Schemas['ToBeMade'];
export type Weight = Schemas['Weight'];
export type HeadingTold = Schemas['HeadingTold'];
export type Bookmarks = Schemas['Bookmarks'];
export type Bookmarked = Schemas['Bookmarked'];
export type BookmarkEntry = Schemas['BookmarkEntry'];
export type Abbreviation = Schemas['Abbreviation'];
export type LikePicture = Schemas['LikePicture'];
export type Scanner = Schemas['Scanner'];
export type ScannerState = Schemas['ScannerState'];
export type FoundScanner = Schemas['FoundScanner'];
export type Wish = Schemas['Wish'];
export type Aim = Schemas['Aim'];
export type Scan = Schemas['Scan'];
export type Face = Schemas['Face'];
export type ScanPreset = Schemas['NamedPreset'];
export type BundleSummary = Schemas['BundleSummary'];
export type Bundle = Schemas['BundleTold'];
export type BundleEntry = Schemas['BundleEntry'];
export type BundleRules = Schemas['BundleRules'];
export type BundleSheet = Schemas['BundleSheetTold'];
export type BundleMark = Schemas['MarkTold'];
export type BundleHits = Schemas['BundleHits'];
export type BundleChange = Schemas['ChangeTold'];
export type MarkKind = Schemas['MarkKind'];
export type Box = [number, number, number, number];

/** A problem document of the server (RFC 9457). */
export class Refused extends Error {
  constructor(readonly status: number, readonly title: string, detail: string) {
    super(detail);
  }
}

// Asked for at the time of the call, so that what stands in for it in a test is used.
const client = createClient<paths>({ baseUrl: location.origin, fetch: (request) => window.fetch(request) });

type Answer = { data?: unknown; error?: unknown; response: Response };

/** The answer's body, or a `Refused` with the server's own words. (The client itself takes pairs for lists.) */
async function ok<T = void>(asked: Promise<Answer>): Promise<T> {
  let answer: Answer;
  try {
    answer = await asked;
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error;
    throw new Refused(0, 'No answer', 'The server does not answer. What you typed is kept here; try again when it is back.');
  }
  if (!answer.response.ok) throw refused(answer.response.status, answer.error, answer.response.statusText);
  return answer.data as T;
}

/** What a problem document says, or the plain answer where it is none. */
function refused(status: number, told: unknown, fallback: string): Refused {
  const problem = (typeof told === 'object' && told !== null ? told : {}) as { title?: string; detail?: string };
  return new Refused(status, problem.title ?? 'Error', problem.detail ?? (fallback || `The server answered with error ${status}.`));
}

const batch = (batch_id: number) => ({ path: { batch_id } });
const document = (document_id: number) => ({ path: { document_id } });
const page = (page_id: number) => ({ path: { page_id } });
const scan = (scan_id: number) => ({ params: { path: { scan_id } } });
const bundle = (bundle_id: number) => ({ params: { path: { bundle_id } } });
const during = (signal: AbortSignal | undefined) => (signal ? { signal } : {});

export const api = {
  about: () => ok<AboutAnswer>(client.GET('/api/about')),
  batches: () => ok<BatchSummary[]>(client.GET('/api/batches')),
  addBatch: (name: string, languages: string[]) => ok<Batch>(client.POST('/api/batches', { body: { name, languages } })),
  batch: (id: number) => ok<Batch>(client.GET('/api/batches/{batch_id}', { params: batch(id) })),
  deleteBatch: (id: number) => ok(client.DELETE('/api/batches/{batch_id}', { params: batch(id) })),
  pause: (id: number, paused: boolean) => ok(client.PUT('/api/batches/{batch_id}/pause', { params: batch(id), body: { paused } })),
  watchFolder: (id: number, on: boolean) => ok<Batch>(client.PUT('/api/batches/{batch_id}/watch', { params: batch(id), body: { on } })),
  forgetDelivery: (delivery_id: number) => ok(client.DELETE('/api/deliveries/{delivery_id}', { params: { path: { delivery_id } } })),
  cancel: (id: number) => ok(client.POST('/api/batches/{batch_id}/cancel', { params: batch(id) })),
  retryAll: (id: number) => ok(client.POST('/api/batches/{batch_id}/retry', { params: batch(id) })),
  dismissProblem: (id: number, problem_id: number) =>
    ok(client.DELETE('/api/batches/{batch_id}/problems/{problem_id}', { params: { path: { batch_id: id, problem_id } } })),
  deliver: (id: number, order: Schemas['DeliveryOrder']) =>
    ok(client.POST('/api/batches/{batch_id}/deliveries', { params: batch(id), body: order })),
  names: (id: number, body: Schemas['NamesWanted']) => ok<ToBeMade[]>(client.POST('/api/batches/{batch_id}/names', { params: batch(id), body })),
  deliverySets: () => ok<DeliverySet[]>(client.GET('/api/delivery-sets')),
  saveDeliverySet: (name: string, formats: string[], options: DeliveryOptions) => ok<DeliverySet[]>(client.PUT('/api/delivery-sets', { body: { name, formats, options } })),
  deleteDeliverySet: (set_id: number) => ok(client.DELETE('/api/delivery-sets/{set_id}', { params: { path: { set_id } } })),
  weights: (id: number, tones: DeliveryOptions['tones']) =>
    ok<Weight[]>(client.GET('/api/documents/{document_id}/weights', { params: { ...document(id), query: { tones } } })),
  document: (id: number) => ok<Document>(client.GET('/api/documents/{document_id}', { params: document(id) })),
  changeDocument: (id: number, change: Schemas['DocumentChange']) =>
    ok<Document>(client.PATCH('/api/documents/{document_id}', { params: document(id), body: change })),
  deleteDocument: (id: number) => ok(client.DELETE('/api/documents/{document_id}', { params: document(id) })),
  /** Some of the document's open doubts, worst first: those that follow the last one that is known. */
  doubts: (id: number, limit: number, last?: OpenDoubt) => {
    const query = last ? { limit, after: last.page_id, after_key: last.key } : { limit };
    return ok<OpenDoubt[]>(client.GET('/api/documents/{document_id}/doubts', { params: { ...document(id), query } }));
  },
  undo: (id: number, change: number) => ok<Changed>(client.POST('/api/documents/{document_id}/undo', { params: document(id), body: { change } })),
  redo: (id: number, change: number) => ok<Changed>(client.POST('/api/documents/{document_id}/redo', { params: document(id), body: { change } })),
  flow: (id: number, first: number, count = 10) =>
    ok<FlowPart>(client.GET('/api/documents/{document_id}/flow', { params: { ...document(id), query: { page: first, count } } })),
  page: (id: number, signal?: AbortSignal) => ok<Page>(client.GET('/api/pages/{page_id}', { params: page(id), ...during(signal) })),
  wordHelp: (id: number, word_id: string) =>
    ok<WordHelp>(client.GET('/api/pages/{page_id}/words/{word_id}/help', { params: { path: { page_id: id, word_id } } })),
  left: (id: number, goal: number) => ok<Left>(client.GET('/api/documents/{document_id}/left', { params: { ...document(id), query: { goal } } })),
  sample: (id: number) => ok<Sample>(client.GET('/api/documents/{document_id}/sample', { params: document(id) })),
  drawSample: (id: number, size: number) => ok<Sample>(client.POST('/api/documents/{document_id}/sample', { params: document(id), body: { size } })),
  judgeDrawn: (id: number, page: number, word: string, right: boolean) =>
    ok<Sample>(client.POST('/api/documents/{document_id}/sample/verdicts', { params: document(id), body: { page, word, right } })),
  discardSample: (id: number) => ok(client.DELETE('/api/documents/{document_id}/sample', { params: document(id) })),
  addWords: (list: number, words: string[]) =>
    ok<{ words: string[] }>(client.POST('/api/word-lists/{batch_id}', { params: batch(list), body: { words } })),
  listed: async (list: number): Promise<string[]> => // an empty list has no body
    (await ok<string | undefined>(client.GET('/api/word-lists/{batch_id}', { params: batch(list), parseAs: 'text' })) ?? '').split('\n').filter(Boolean),
  removeWord: (list: number, word: string) => ok(client.DELETE('/api/word-lists/{batch_id}/{word}', { params: { path: { batch_id: list, word } } })),
  search: (sought: Sought, where: { document?: number; batch?: number }, first: number, limit: number, signal?: AbortSignal) =>
    ok<Found>(client.GET('/api/search', { params: { query: { ...sought, ...where, first, limit } }, ...during(signal) })),
  replace: (id: number, sought: Sought, by: string, pages: number[], places: { passage: number; start: number }[] | null, change: number | null, redact = false) =>
    ok<Changed>(client.POST('/api/documents/{document_id}/replace', { params: document(id), body: { ...sought, by, redact, pages, places, change } })),
  addPicture: (id: number, file: File) => {
    const form = new FormData();
    form.append('file', file, file.name);
    return ok<Picture>(client.POST('/api/pages/{page_id}/pictures', { params: page(id), body: { file: '' }, bodySerializer: () => form }));
  },
  printedLabels: (id: number) => ok<LabelRange[]>(client.GET('/api/documents/{document_id}/printed-labels', { params: document(id) })),
  headings: (id: number) => ok<HeadingTold[]>(client.GET('/api/documents/{document_id}/headings', { params: document(id) })),
  setRoles: (id: number, role: Role, places: { page: number; region: string }[], change: number | null) =>
    ok<Changed>(client.POST('/api/documents/{document_id}/roles', { params: document(id), body: { role, places, change } })),
  bookmarks: (id: number) => ok<Bookmarks>(client.GET('/api/documents/{document_id}/bookmarks', { params: document(id) })),
  setBookmarks: (id: number, revision: number, entries: BookmarkEntry[] | null) =>
    ok<Bookmarks>(client.PUT('/api/documents/{document_id}/bookmarks', { params: document(id), body: { revision, entries } })),
  addBookmark: (id: number, place: Schemas['BookmarkPlace']) =>
    ok<Bookmarks>(client.POST('/api/documents/{document_id}/bookmarks', { params: document(id), body: place })),
  like: (id: number, region_id: string) =>
    ok<LikePicture[]>(client.GET('/api/pages/{page_id}/like/{region_id}', { params: { path: { page_id: id, region_id } } })),
  describeAlike: (id: number, body: Schemas['DescribeAlike']) =>
    ok<Changed>(client.POST('/api/documents/{document_id}/descriptions', { params: document(id), body })),
  tellBatch: (id: number, particulars: Particulars, fill: boolean) =>
    ok<Batch>(client.PUT('/api/batches/{batch_id}/particulars', { params: batch(id), body: { particulars, fill } })),
  rules: () => ok<Rule[]>(client.GET('/api/rules')),
  standing: (id: number) => ok<Standing>(client.GET('/api/documents/{document_id}/standing', { params: document(id) })),
  judgements: (id: number) => ok<ToJudge[]>(client.GET('/api/documents/{document_id}/judgements', { params: document(id) })),
  signOff: (id: number, body: Schemas['SignOff']) => ok<Standing>(client.POST('/api/documents/{document_id}/judgements', { params: document(id), body })),
  signHeadings: (id: number, name: string) => ok<Standing>(client.POST('/api/documents/{document_id}/judgements/headings', { params: document(id), body: { name } })),
  spoken: (id: number, first: number, count: number) =>
    ok<SpokenPart>(client.GET('/api/documents/{document_id}/spoken', { params: { ...document(id), query: { page: first, count } } })),
  slips: (id: number, by: 'letters' | 'words', first: number, limit: number) =>
    ok<Slips>(client.GET('/api/documents/{document_id}/slips', { params: { ...document(id), query: { by, first, limit } } })),
  settleWords: (id: number, words: SettledWord[], change: number | null) =>
    ok<Changed>(client.POST('/api/documents/{document_id}/words', { params: document(id), body: { words, change } })),
  beneath: (id: number, region_id: string, after: number) =>
    ok<{ box: Box }>(client.GET('/api/pages/{page_id}/beneath/{region_id}', { params: { path: { page_id: id, region_id }, query: { after } } })),
  characters: (languages: string[]) => ok<Characters>(client.GET('/api/characters', { params: { query: { languages: languages.join(',') } } })),
  regionFile: (id: number, regions: string[], format: string) => `/api/pages/${id}/regions/${encodeURIComponent(regions.join(','))}/${format}`,
  edit: (id: number, revision: number, operation: Operation, everywhere = false) =>
    ok<Changed>(client.POST('/api/pages/{page_id}/edits', { params: page(id), body: { revision, operation, everywhere } })),
  template: (id: number, revision: number, pages: number[], change: number | null) =>
    ok<Changed>(client.POST('/api/pages/{page_id}/template', { params: page(id), body: { revision, pages, change } })),
  treat: (id: number, revision: number, treatment: Treatment, pages: Audience, selection: number[] = []) =>
    ok<Started>(client.PUT('/api/pages/{page_id}/treatment', { params: page(id), body: { revision, treatment, pages, selection } })),
  preview: (id: number, treatment: Treatment, view: View, signal?: AbortSignal) =>
    ok<Preview>(client.POST('/api/pages/{page_id}/preview', { params: page(id), body: { treatment, view }, ...during(signal) })),
  patches: (id: number, treatment: Treatment, outline: [number, number][], erase: boolean, alike: boolean) =>
    ok<{ patches: Patch[] }>(client.POST('/api/pages/{page_id}/patches', { params: page(id), body: { treatment, outline, erase, alike } })),
  turnPages: (id: number, revision: number, pages: number[], degrees: 90 | 180 | 270) =>
    ok<Started>(client.POST('/api/documents/{document_id}/turn', { params: document(id), body: { revision, pages, degrees } })),
  evenMargins: (id: number, revision: number, pages: number[], even: boolean) =>
    ok<Started>(client.POST('/api/documents/{document_id}/margins', { params: document(id), body: { revision, pages, even } })),
  order: (id: number, revision: number, pages: number[]) =>
    ok<Document>(client.PUT('/api/documents/{document_id}/order', { params: document(id), body: { revision, pages } })),
  removePages: (id: number, revision: number, pages: number[]) =>
    ok<Document>(client.POST('/api/documents/{document_id}/pages/remove', { params: document(id), body: { revision, pages } })),
  restorePages: (id: number, revision: number, pages: number[]) =>
    ok<Document>(client.POST('/api/documents/{document_id}/pages/restore', { params: document(id), body: { revision, pages } })),
  namedTreatments: () => ok<NamedTreatment[]>(client.GET('/api/treatments')),
  saveTreatment: (name: string, treatment: Treatment, replace = false) =>
    ok<NamedTreatment>(client.POST('/api/treatments', { body: { name, treatment, replace } })),
  deleteTreatment: (treatment_id: number) => ok(client.DELETE('/api/treatments/{treatment_id}', { params: { path: { treatment_id } } })),
  readAgain: (id: number, revision: number, languages: string[] | null, keep: boolean, pages: 'page' | 'selection' | 'document', text_from: TextFrom | null = null, selection: number[] = []) =>
    ok<Started>(client.POST('/api/pages/{page_id}/read', { params: page(id), body: { revision, languages, keep, pages, text_from, selection } })),
  movePages: (id: number, revision: number, pages: number[], to: number) =>
    ok<Batch>(client.POST('/api/documents/{document_id}/move', { params: document(id), body: { revision, pages, to } })),
  splitDocument: (id: number, revision: number, pages: number[]) =>
    ok<Batch>(client.POST('/api/documents/{document_id}/split', { params: document(id), body: { revision, pages } })),
  joinDocuments: (id: number, documents: number[]) => ok<Batch>(client.POST('/api/batches/{batch_id}/join', { params: batch(id), body: { documents } })),
  orderDocuments: (id: number, documents: number[]) => ok<Batch>(client.PUT('/api/batches/{batch_id}/order', { params: batch(id), body: { documents } })),
  tellDocuments: (id: number, documents: number[], title: string, particulars: Particulars) =>
    ok<Batch>(client.POST('/api/batches/{batch_id}/documents-told', { params: batch(id), body: { documents, title, particulars } })),
  tellByTable: (id: number, file: File) => {
    const form = new FormData();
    form.append('file', file, file.name);
    return ok<Schemas['TableTold']>(client.POST('/api/batches/{batch_id}/particulars-table', { params: batch(id), body: { file: '' }, bodySerializer: () => form }));
  },
  scanners: () => ok<Scanner[]>(client.GET('/api/scanners')),
  addScanner: (address: string) => ok<Scanner>(client.POST('/api/scanners', { body: { address } })),
  forgetScanner: (scanner_id: number) => ok(client.DELETE('/api/scanners/{scanner_id}', { params: { path: { scanner_id } } })),
  findScanners: () => ok<FoundScanner[]>(client.POST('/api/scanners/find')),
  scanner: (scanner_id: number) => ok<ScannerState>(client.GET('/api/scanners/{scanner_id}', { params: { path: { scanner_id } } })),
  previewGlass: (scanner_id: number, wish: Wish) =>
    ok<Blob>(client.POST('/api/scanners/{scanner_id}/preview', { params: { path: { scanner_id } }, body: wish, parseAs: 'blob' })),
  scanPresets: () => ok<ScanPreset[]>(client.GET('/api/scan-presets')),
  saveScanPreset: (name: string, preset: Schemas['Preset']) => ok<ScanPreset[]>(client.PUT('/api/scan-presets', { body: { name, preset } })),
  deleteScanPreset: (preset_id: number) => ok(client.DELETE('/api/scan-presets/{preset_id}', { params: { path: { preset_id } } })),
  separators: (names: string[]) => ok<Blob>(client.POST('/api/separator-sheets', { body: { names }, parseAs: 'blob' })),
  beginScan: (id: number, scanner: number, wish: Wish, aim: Aim) => ok<Scan>(client.POST('/api/batches/{batch_id}/scans', { params: batch(id), body: { scanner, wish, aim } })),
  /** The batch's scan, its sides from the first on that is asked for. */
  lastScan: (id: number, first = 0) => ok<Scan | null>(client.GET('/api/batches/{batch_id}/scan', { params: { ...batch(id), query: { first } } })),
  goOnScan: (id: number) => ok<Scan>(client.POST('/api/scans/{scan_id}/go-on', scan(id))),
  stopScan: (id: number) => ok<Scan>(client.POST('/api/scans/{scan_id}/stop', scan(id))),
  otherSides: (id: number) => ok<Scan>(client.POST('/api/scans/{scan_id}/other-sides', scan(id))),
  endScan: (id: number) => ok(client.POST('/api/scans/{scan_id}/end', scan(id))),
  putBackFace: (face_id: number) => ok<Scan>(client.POST('/api/faces/{face_id}/put-back', { params: { path: { face_id } } })),
  bundles: () => ok<BundleSummary[]>(client.GET('/api/bundles')),
  addBundle: (name: string, language: string) => ok<Bundle>(client.POST('/api/bundles', { body: { name, language } })),
  bundle: (id: number) => ok<Bundle>(client.GET('/api/bundles/{bundle_id}', bundle(id))),
  renameBundle: (id: number, name: string) => ok<Bundle>(client.PUT('/api/bundles/{bundle_id}/name', { ...bundle(id), body: { name } })),
  deleteBundle: (id: number) => ok(client.DELETE('/api/bundles/{bundle_id}', bundle(id))),
  putIntoBundle: (id: number, body: Schemas['EntriesToPutIn']) => ok<Bundle>(client.POST('/api/bundles/{bundle_id}/entries', { ...bundle(id), body })),
  takeOutOfBundle: (id: number, revision: number, entries: number[]) => ok<Bundle>(client.POST('/api/bundles/{bundle_id}/entries-out', { ...bundle(id), body: { revision, entries } })),
  orderBundle: (id: number, revision: number, entries: { id: number; depth: number }[]) => ok<Bundle>(client.PUT('/api/bundles/{bundle_id}/order', { ...bundle(id), body: { revision, entries } })),
  sortBundle: (id: number, revision: number, by: 'date' | 'title') => ok<Bundle>(client.POST('/api/bundles/{bundle_id}/sort', { ...bundle(id), body: { revision, by } })),
  listBundle: (id: number, file: File) => {
    const form = new FormData();
    form.append('file', file, file.name);
    return ok<Schemas['ListTold']>(client.POST('/api/bundles/{bundle_id}/list', { ...bundle(id), body: { file: '' }, bodySerializer: () => form }));
  },
  tellEntry: (id: number, entry_id: number, body: Schemas['EntryTold']) =>
    ok<Bundle>(client.PUT('/api/bundles/{bundle_id}/entries/{entry_id}', { params: { path: { bundle_id: id, entry_id } }, body })),
  ruleBundle: (id: number, revision: number, rules: BundleRules) => ok<Bundle>(client.PUT('/api/bundles/{bundle_id}/rules', { ...bundle(id), body: { revision, rules } })),
  keepNumbers: (id: number, revision: number) => ok<Bundle>(client.POST('/api/bundles/{bundle_id}/keep-numbers', { ...bundle(id), body: { revision } })),
  numberAnew: (id: number, revision: number) => ok<Bundle>(client.POST('/api/bundles/{bundle_id}/number-anew', { ...bundle(id), body: { revision } })),
  turnBundle: (id: number, way: 'undo' | 'redo') => ok<Bundle>(way === 'undo' ? client.POST('/api/bundles/{bundle_id}/undo', bundle(id)) : client.POST('/api/bundles/{bundle_id}/redo', bundle(id))),
  bundleSheets: (id: number) => ok<BundleSheet[]>(client.GET('/api/bundles/{bundle_id}/sheets', bundle(id))),
  bundleChanges: (id: number) => ok<BundleChange[]>(client.GET('/api/bundles/{bundle_id}/changes', bundle(id))),
  searchBundle: (id: number, text: string, first: number) =>
    ok<BundleHits>(client.GET('/api/bundles/{bundle_id}/search', { params: { path: { bundle_id: id }, query: { text, first } } })),
  bundleMarks: (id: number) => ok<BundleMark[]>(client.GET('/api/bundles/{bundle_id}/marks', bundle(id))),
  marksOfPage: (id: number, page_id: number) =>
    ok<BundleMark[]>(client.GET('/api/bundles/{bundle_id}/pages/{page_id}/marks', { params: { path: { bundle_id: id, page_id } } })),
  makeMark: (id: number, body: Schemas['MarkToMake']) => ok<Schemas['MarksMade']>(client.POST('/api/bundles/{bundle_id}/marks', { ...bundle(id), body })),
  markHits: (id: number, body: Schemas['HitsToMark']) => ok<Schemas['MarksMade']>(client.POST('/api/bundles/{bundle_id}/marks-of-hits', { ...bundle(id), body })),
  tellMark: (id: number, mark_id: number, body: Schemas['MarkChange']) =>
    ok(client.PUT('/api/bundles/{bundle_id}/marks/{mark_id}', { params: { path: { bundle_id: id, mark_id } }, body })),
  takeMarks: (id: number, mark: number[]) => ok(client.DELETE('/api/bundles/{bundle_id}/marks', { params: { path: { bundle_id: id }, query: { mark } } })),
  makeBundle: (id: number, body: Schemas['BundleWanted']) => ok<Bundle>(client.POST('/api/bundles/{bundle_id}/orders', { ...bundle(id), body })),
  stopBundle: (id: number) => ok<Bundle>(client.DELETE('/api/bundles/{bundle_id}/orders', bundle(id))),
  bundleWork: (id: number) => ok<Bundle['work']>(client.GET('/api/bundles/{bundle_id}/work', bundle(id))),
  forgetBundleFile: (file_id: number) => ok(client.DELETE('/api/bundle-files/{file_id}', { params: { path: { file_id } } })),
  retry: (id: number) => ok(client.POST('/api/pages/{page_id}/retry', { params: page(id) })),
};

/** Upload with progress, which fetch cannot tell. */
export function upload(batch: number, files: File[], pages: string, progress: (share: number) => void, signal?: AbortSignal, password = ''): Promise<Intake> {
  return new Promise((resolve, reject) => {
    const form = new FormData();
    for (const file of files) form.append('files', file, file.name);
    if (pages.trim()) form.append('pages', pages);
    if (password) form.append('password', password);
    const request = new XMLHttpRequest();
    signal?.addEventListener('abort', () => request.abort());
    request.onabort = () => reject(new DOMException('stopped', 'AbortError'));
    request.open('POST', `/api/batches/${batch}/files`);
    request.upload.onprogress = (event) => event.lengthComputable && progress(event.loaded / event.total);
    request.onerror = () => reject(new Refused(0, 'No answer', 'The server does not answer; nothing was lost, try again.'));
    request.onload = () => {
      let told: unknown = null;
      try {
        told = JSON.parse(request.responseText);
      } catch {
        // Not every error comes from the application itself.
      }
      if (request.status < 300 && told) resolve(told as Intake);
      else reject(refused(request.status, told, request.statusText));
    };
    request.send(form);
  });
}
