import { api, type AboutAnswer, type Role } from '../api/client';

/** What the server tells of itself once: languages, formats, and the rules that both sides need. */
export class About {
  told = $state<AboutAnswer | null>(null);

  async load(): Promise<void> {
    this.told = await api.about();
  }

  get languages() {
    return this.told?.languages ?? [];
  }

  /** Below it a finding is a doubt. */
  get sure(): number {
    return this.told?.sure ?? 1;
  }

  languageName(code: string | null | undefined): string {
    if (!code) return '';
    if (code === 'auto') return 'found automatically';
    return this.language(code)?.name ?? code;
  }

  /** The BCP 47 tag that HTML wants. */
  languageTag(code: string | null | undefined): string | undefined {
    return this.language(code)?.tag;
  }

  rightToLeft(code: string | null | undefined): boolean {
    return this.language(code)?.right_to_left ?? false;
  }

  isArtifact(role: Role): boolean {
    return this.told?.roles.find((r) => r.role === role)?.artifact ?? false;
  }

  /** The roles that a region of that kind can have. */
  rolesFor(kind: string): Role[] {
    return (this.told?.roles ?? []).filter((r) => (r.kinds as string[]).includes(kind)).map((r) => r.role);
  }

  private language(code: string | null | undefined) {
    return this.languages.find((l) => l.code === code);
  }
}

export const about = new About();
