import type { StageId } from '../api/client';

export const STAGES: { id: StageId; name: string; asks: string }[] = [
  { id: 'bring_in', name: 'Bring in', asks: 'Is it all here?' },
  { id: 'clean', name: 'Clean', asks: 'Is it straight and easy to read?' },
  { id: 'read', name: 'Read', asks: 'What does it say, in which language?' },
  { id: 'proof', name: 'Proof', asks: 'Where is the reading wrong?' },
  { id: 'tag', name: 'Tag', asks: 'What is each thing?' },
  { id: 'check', name: 'Check', asks: 'Would a listener follow it?' },
  { id: 'deliver', name: 'Deliver', asks: 'What leaves the house?' },
];
