import type { components } from './schema';

type Schemas = components['schemas'];
export type About = Schemas['About'];
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
export type FlowItem = Schemas['FlowItem'];
export type Edited = Schemas['Edited'];
export type TurnedBack = Schemas['TurnedBack'];
export type Intake = Schemas['Intake'];
export type Box = [number, number, number, number];

/** A problem document of the server (RFC 9457). */
export class Refused extends Error {
  constructor(readonly status: number, readonly title: string, detail: string) {
    super(detail);
  }
}

async function call<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  const options: RequestInit = { method };
  if (signal) options.signal = signal;
  if (body instanceof FormData) options.body = body;
  else if (body !== undefined) {
    options.body = JSON.stringify(body);
    options.headers = { 'Content-Type': 'application/json' };
  }
  let response: Response;
  try {
    response = await fetch(`/api${path}`, options);
  } catch (error) {
    if (signal?.aborted) throw error;
    throw new Refused(0, 'No answer', 'The server does not answer. What you typed is kept here; try again when it is back.');
  }
  if (!response.ok) {
    const told = await response.json().catch(() => ({}));
    throw new Refused(response.status, told.title ?? 'Error', told.detail ?? response.statusText);
  }
  return response.status === 204 ? (undefined as T) : ((await response.json()) as T);
}

export const api = {
  about: () => call<About>('GET', '/about'),
  batches: () => call<BatchSummary[]>('GET', '/batches'),
  addBatch: (name: string, languages: string[]) => call<Batch>('POST', '/batches', { name, languages }),
  batch: (id: number) => call<Batch>('GET', `/batches/${id}`),
  deleteBatch: (id: number) => call<void>('DELETE', `/batches/${id}`),
  cancel: (id: number) => call('POST', `/batches/${id}/cancel`),
  retryAll: (id: number) => call('POST', `/batches/${id}/retry`),
  dismissProblem: (id: number, problem: number) => call<void>('DELETE', `/batches/${id}/problems/${problem}`),
  deliver: (id: number, formats: string[], documents: number[] | null, keepRunningHeads: boolean) =>
    call('POST', `/batches/${id}/deliveries`, { formats, documents, keep_running_heads: keepRunningHeads }),
  document: (id: number) => call<Document>('GET', `/documents/${id}`),
  changeDocument: (id: number, change: { title?: string; language?: string; languages?: string[]; duplex?: boolean }) =>
    call<Document>('PATCH', `/documents/${id}`, change),
  deleteDocument: (id: number) => call<void>('DELETE', `/documents/${id}`),
  doubts: (id: number, stage?: string) =>
    call<OpenDoubt[]>('GET', `/documents/${id}/doubts${stage ? `?stage=${stage}` : ''}`),
  undo: (id: number) => call<TurnedBack>('POST', `/documents/${id}/undo`),
  redo: (id: number) => call<TurnedBack>('POST', `/documents/${id}/redo`),
  flow: (id: number) => call<FlowItem[]>('GET', `/documents/${id}/flow`),
  page: (id: number) => call<Page>('GET', `/pages/${id}`),
  edit: (id: number, revision: number, operation: Operation, label: string, everywhere = false) =>
    call<Edited>('POST', `/pages/${id}/edits`, { revision, operation, label, everywhere }),
  treat: (id: number, treatment: Treatment, pages: Audience, selection: number[] = []) =>
    call<{ tasks: number }>('PUT', `/pages/${id}/treatment`, { treatment, pages, selection }),
  preview: (id: number, treatment: Treatment, view: View, signal?: AbortSignal) =>
    call<Preview>('POST', `/pages/${id}/preview`, { treatment, view }, signal),
  patches: (id: number, treatment: Treatment, outline: [number, number][], erase: boolean, alike: boolean) =>
    call<{ patches: Patch[] }>('POST', `/pages/${id}/patches`, { treatment, outline, erase, alike }),
  takeBackTreatment: (id: number) => call<{ tasks: number }>('POST', `/documents/${id}/treatments/undo`),
  turnPages: (id: number, pages: number[], degrees: 90 | 180 | 270) => call('POST', `/documents/${id}/turn`, { pages, degrees }),
  evenMargins: (id: number, pages: number[], even: boolean) =>
    call<{ tasks: number }>('POST', `/documents/${id}/margins`, { pages, even }),
  order: (id: number, pages: number[]) => call<Document>('PUT', `/documents/${id}/order`, { pages }),
  removePages: (id: number, pages: number[]) => call<Document>('POST', `/documents/${id}/pages/remove`, { pages }),
  restorePages: (id: number, pages: number[]) => call<Document>('POST', `/documents/${id}/pages/restore`, { pages }),
  namedTreatments: () => call<NamedTreatment[]>('GET', '/treatments'),
  saveTreatment: (name: string, treatment: Treatment, replace = false) =>
    call<NamedTreatment>('POST', '/treatments', { name, treatment, replace }),
  deleteTreatment: (id: number) => call<void>('DELETE', `/treatments/${id}`),
  readAgain: (id: number, languages: string[] | null, keep: boolean, pages: 'page' | 'document') =>
    call('POST', `/pages/${id}/read`, { languages, keep, pages }),
  retry: (id: number) => call('POST', `/pages/${id}/retry`),
};

/** Upload with progress, which fetch cannot tell. */
export function upload(batch: number, files: File[], progress: (share: number) => void): Promise<Intake> {
  return new Promise((resolve, reject) => {
    const form = new FormData();
    for (const file of files) form.append('files', file, file.name);
    const request = new XMLHttpRequest();
    request.open('POST', `/api/batches/${batch}/files`);
    request.upload.onprogress = (event) => event.lengthComputable && progress(event.loaded / event.total);
    request.onerror = () => reject(new Refused(0, 'No answer', 'The server does not answer; nothing was lost, try again.'));
    request.onload = () => {
      const told = JSON.parse(request.responseText || '{}');
      if (request.status < 300) resolve(told as Intake);
      else reject(new Refused(request.status, told.title ?? 'Error', told.detail ?? request.statusText));
    };
    request.send(form);
  });
}
