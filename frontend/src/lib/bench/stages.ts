export const STAGES = [
  { id: 'bring_in', name: 'Bring in', asks: 'Is it all here?' },
  { id: 'clean', name: 'Clean', asks: 'Is it straight and easy to read?' },
  { id: 'read', name: 'Read', asks: 'What does it say, in which language?' },
  { id: 'proof', name: 'Proof', asks: 'Where is the reading wrong?' },
  { id: 'tag', name: 'Tag', asks: 'What is each thing?' },
  { id: 'check', name: 'Check', asks: 'Would a listener follow it?' },
  { id: 'deliver', name: 'Deliver', asks: 'What leaves the house?' },
] as const;

export type StageId = (typeof STAGES)[number]['id'];

export function isStage(value: string): value is StageId {
  return STAGES.some((stage) => stage.id === value);
}
