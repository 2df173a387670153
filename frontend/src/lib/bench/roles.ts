import type { Role, Subject } from '../api/client';

export interface RoleLook {
  role: Role;
  name: string;
  sign: string;
  key: string;
  /** Dash pattern of the region's edge, in screen pixels: told apart by shape, also in grey. */
  dash: string;
  width: number;
}

const heading = (level: number): RoleLook => ({
  role: `heading_${level}` as Role, name: `Heading ${level}`, sign: `H${level}`, key: String(level), dash: '', width: 3,
});

export const ROLES: RoleLook[] = [
  heading(1), heading(2), heading(3), heading(4), heading(5), heading(6),
  { role: 'paragraph', name: 'Paragraph', sign: '¶', key: 'p', dash: '', width: 1.2 },
  { role: 'list_item', name: 'List item', sign: '≡', key: 'i', dash: '2 4', width: 2 },
  { role: 'caption', name: 'Caption', sign: 'C', key: 'c', dash: '9 3 2 3', width: 1.6 },
  { role: 'quotation', name: 'Quotation', sign: '❝', key: 'q', dash: '5 2', width: 1.6 },
  { role: 'address', name: 'Address', sign: '⏎', key: 'l', dash: '8 2 2 2', width: 1.6 },
  { role: 'note', name: 'Note', sign: '※', key: 'e', dash: '6 2 1 2', width: 1.6 },
  { role: 'side_note', name: 'Side note', sign: '‖', key: '', dash: '6 2 1 2 1 2', width: 1.6 },
  { role: 'contents_entry', name: 'Contents entry', sign: '…', key: '', dash: '3 3 8 3', width: 1.6 },
  { role: 'formula', name: 'Formula', sign: '∑', key: '', dash: '12 3 2 3 2 3', width: 2 },
  { role: 'figure', name: 'Figure', sign: '◧', key: 'f', dash: '12 6', width: 2 },
  { role: 'table', name: 'Table', sign: '⊞', key: '', dash: '16 3', width: 3 },
  { role: 'running_head', name: 'Running head', sign: '⌒', key: 'h', dash: '1 5', width: 1.6 },
  { role: 'page_number', name: 'Page number', sign: '#', key: 'n', dash: '1 5', width: 1.6 },
  { role: 'artifact', name: 'Artifact', sign: '×', key: 'x', dash: '1 5', width: 1.6 },
];

const SHOWN: Partial<Record<Subject, string>> = { bar_code: 'Bar code' };

/** What a picture shows, or that a text is a stamp, in a word. */
export function subjectName(subject: Subject): string {
  return SHOWN[subject] ?? subject.charAt(0).toUpperCase() + subject.slice(1);
}

const byRole = new Map(ROLES.map((look) => [look.role, look]));

export function look(role: Role): RoleLook {
  return byRole.get(role) ?? (ROLES[6] as RoleLook);
}
