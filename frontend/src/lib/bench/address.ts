import type { StageId } from '../api/client';

/** Where the clerk is, as it stands in the address, so that a reload and the back key work. Pages count from 0. */
export type Place =
  | { kind: 'trolley' }
  | { kind: 'batch'; id: number; stage: BatchStage }
  | { kind: 'bundle'; id: number }
  | { kind: 'document'; id: number; stage: StageId; page: number };

export type BatchStage = 'bring_in' | 'scan' | 'deliver';
const BATCH_STAGES = ['bring_in', 'scan', 'deliver'];
const SHEET_STAGES = ['clean', 'read', 'proof', 'tag', 'check'];

export function parse(hash: string): Place {
  const [kind, id, stage, page] = hash.replace(/^#\/?/, '').split('/');
  const number = Number(id);
  if (kind === 'batch' && number > 0) return { kind, id: number, stage: stage && BATCH_STAGES.includes(stage) ? (stage as BatchStage) : 'bring_in' };
  if (kind === 'bundle' && number > 0) return { kind, id: number };
  if (kind === 'document' && number > 0) {
    const at = Math.max(0, Math.floor(Number(page ?? 1) || 1) - 1);
    return { kind, id: number, stage: stage && SHEET_STAGES.includes(stage) ? (stage as StageId) : 'proof', page: at };
  }
  return { kind: 'trolley' };
}

export function format(place: Place): string {
  if (place.kind === 'batch') return `#/batch/${place.id}/${place.stage}`;
  if (place.kind === 'bundle') return `#/bundle/${place.id}`;
  if (place.kind === 'document') return `#/document/${place.id}/${place.stage}/${place.page + 1}`;
  return '#/';
}
