import { api, type Aim, type Face, type FoundScanner, type Scan, type Scanner, type ScannerState, type ScanPreset, type Wish } from '../api/client';
import { desk } from './desk.svelte';
import { remember, remembered } from './keys';
import { notices } from './notices.svelte';

export type Cut = Aim['cut'];
export interface Sheet { key: string; faces: Face[]; title: string; document: number | null; begins: boolean }
export interface Area { left: number; top: number; width: number; height: number }

const UNSETTLED = 8; // sides, of which it may not be told yet what becomes of them

export const PLAIN_WISH = { source: 'feeder', sides: 'one', colour: 'automatic', dpi: 300, paper: 'automatic', own: null, crop: null, brightness: 0, contrast: 0, drop_blank: true } as Wish;
const PLAIN = { wish: PLAIN_WISH, cut: 'none' as Cut, sheets: 1, prefix: 'Scan' };

/** Sheets with their sides, in the order in which they lie in documents; a second pass stands behind the first. */
export function sheetsOf(scan: Scan): Sheet[] {
  const step = scan.wish.sides === 'both' ? 2 : 1;
  const firsts = scan.faces.filter((f) => !f.second_pass), seconds = scan.faces.filter((f) => f.second_pass);
  const joined = seconds.some((f) => f.fate !== 'waiting');
  const found: Sheet[] = [];
  for (let at = 0; at < firsts.length; at += step) {
    const faces = firsts.slice(at, at + step);
    const back = joined ? seconds[firsts.length - 1 - at] : undefined;
    if (back) faces.push(back);
    const told = faces.find((f) => f.document) ?? faces[0]!;
    const before = found.at(-1);
    found.push({ key: `${faces[0]!.id}`, faces, title: told.title, document: told.document ?? null, begins: (told.document ?? null) !== null && told.document !== before?.document });
  }
  if (!joined) for (const face of seconds) found.push({ key: `${face.id}`, faces: [face], title: '', document: null, begins: false });
  return found;
}

/** The scanner, what is asked of it, and the sheets that come. */
export class Scanning {
  scanners = $state.raw<Scanner[]>([]);
  chosen = $state(Number(remembered('scan.scanner', '0')));
  now = $state.raw<ScannerState | null>(null);
  /** Why the scanner in hand cannot be asked. */
  away = $state('');
  presets = $state.raw<ScanPreset[]>([]);
  wish = $state<Wish>(PLAIN_WISH);
  cut = $state<Cut>('none');
  sheets = $state(1);
  prefix = $state('Scan');
  /** Whether each new document's title and number are asked for once it is here. */
  ask = $state(remembered('scan.ask', 'no') === 'yes');
  askedOf = new Set<number>();
  /** Where the next pages go. */
  aim = $state<{ kind: 'new' } | { kind: 'end'; document: number } | { kind: 'after' | 'instead'; page: number; says: string }>({ kind: 'new' });
  scan = $state.raw<Scan | null>(null);
  found = $state.raw<FoundScanner[] | null>(null);
  looking = $state(false);
  glass = $state('');
  previewing = $state(false);
  private batch = 0;
  private asked = 0;

  constructor() {
    try {
      const kept = JSON.parse(remembered('scan.choices', '{}')) as Partial<typeof PLAIN>;
      this.take({ ...PLAIN, ...kept, wish: { ...PLAIN_WISH, ...kept.wish, crop: null } });
    } catch {
      // What an older version kept is no use.
    }
  }

  take(kept: typeof PLAIN): void {
    this.wish = { ...PLAIN_WISH, ...kept.wish };
    this.cut = kept.cut;
    this.sheets = kept.sheets;
    this.prefix = kept.prefix;
  }

  private get choices(): typeof PLAIN {
    return $state.snapshot({ wish: this.wish, cut: this.cut, sheets: this.sheets, prefix: this.prefix }) as typeof PLAIN;
  }

  async open(batch: number): Promise<void> {
    this.batch = batch;
    desk.onScan = (id) => id === this.batch && void notices.attempt(() => this.refresh());
    this.scan = null;
    await notices.attempt(async () => {
      [this.scanners, this.presets] = await Promise.all([api.scanners(), api.scanPresets()]);
      if (!this.scanners.some((s) => s.id === this.chosen)) this.chosen = this.scanners[0]?.id ?? 0;
      await Promise.all([this.refresh(), this.look()]);
    });
  }

  /** Sheets that come meanwhile concern whoever opens the screen next. */
  leave(): void {
    desk.onScan = () => undefined;
    this.asked++;
  }

  /** Of several answers that are on their way, the last that was asked for counts. */
  async refresh(): Promise<void> {
    const mine = ++this.asked, known = this.scan;
    // While sheets come, only the last ones change: what is known of the others need not be sent again and again.
    const first = known?.running ? Math.max(0, known.faces.length - UNSETTLED) : 0;
    let scan = await api.lastScan(this.batch, first);
    if (mine !== this.asked) return;
    if (scan && first && scan.id === known?.id && scan.running) scan = { ...scan, faces: [...known.faces.slice(0, first), ...scan.faces] };
    else if (first) scan = await api.lastScan(this.batch);
    if (mine !== this.asked) return;
    const rested = this.scan?.running && !scan?.running;
    this.scan = scan;
    if (rested) void this.look();
  }

  /** Ask the scanner in hand what it can do and how it is. */
  async look(): Promise<void> {
    if (!this.chosen) {
      this.now = null;
      return;
    }
    try {
      const told = await api.scanner(this.chosen);
      this.now = told;
      this.away = '';
      this.fit(told);
    } catch (error) {
      this.now = null;
      this.away = error instanceof Error ? error.message : String(error);
    }
  }

  /** Keep what is wished for within what the scanner offers. */
  private fit(told: ScannerState): void {
    if (!told.feeder) this.wish = { ...this.wish, source: 'flatbed', sides: 'one' };
    if (!told.flatbed) this.wish = { ...this.wish, source: 'feeder' };
    if (this.wish.sides === 'both' && !told.both_sides) this.wish = { ...this.wish, sides: 'second_pass' };
    const offered = (this.wish.source === 'flatbed' ? told.flatbed : told.feeder)?.resolutions ?? [];
    if (offered.length && !offered.includes(this.wish.dpi)) this.wish = { ...this.wish, dpi: offered.find((r) => r >= this.wish.dpi) ?? offered.at(-1)! };
  }

  async choose(id: number): Promise<void> {
    this.chosen = id;
    this.glass = '';
    remember('scan.scanner', String(id));
    await this.look();
  }

  set(patch: Partial<Wish>): void {
    this.wish = { ...this.wish, ...patch };
    if (this.wish.source === 'flatbed') this.wish = { ...this.wish, sides: 'one' };
    if (this.now) this.fit(this.now);
    this.keep();
  }

  keep(): void {
    remember('scan.choices', JSON.stringify(this.choices));
  }

  async find(): Promise<void> {
    this.looking = true;
    await notices.attempt(async () => { this.found = await api.findScanners(); });
    this.looking = false;
  }

  async add(address: string): Promise<boolean> {
    let added = false;
    await notices.attempt(async () => {
      const one = await api.addScanner(address);
      this.scanners = await api.scanners();
      this.found = this.found?.map((f) => (f.address === one.address ? { ...f, known: true } : f)) ?? null;
      await this.choose(one.id);
      added = true;
    });
    return added;
  }

  async forget(): Promise<void> {
    await notices.attempt(async () => {
      await api.forgetScanner(this.chosen);
      this.scanners = await api.scanners();
      await this.choose(this.scanners[0]?.id ?? 0);
    });
  }

  async preview(): Promise<void> {
    this.previewing = true;
    await notices.attempt(async () => {
      const picture = await api.previewGlass(this.chosen, { ...this.wish, source: 'flatbed', sides: 'one' });
      if (this.glass) URL.revokeObjectURL(this.glass);
      this.glass = URL.createObjectURL(picture);
    });
    this.previewing = false;
  }

  /** More sheets of the same kind go where the last ones went, until something else is chosen. */
  get goesOn(): boolean {
    const last = this.scan;
    if (!last || last.trouble || this.aim.kind !== 'new' || !last.faces.length || last.second_pass) return false;
    const { wish, aim } = last;
    return JSON.stringify(wish) === JSON.stringify($state.snapshot(this.wish)) && aim.cut === this.cut && aim.sheets === this.sheets && aim.prefix === this.prefix && aim.after == null && aim.instead == null;
  }

  private counter(): number {
    const numbers = (desk.batch?.documents ?? []).map((d) => (d.name.startsWith(`${this.prefix} `) ? Number(d.name.slice(this.prefix.length + 1)) : 0));
    return Math.max(0, ...numbers.filter((n) => Number.isInteger(n))) + 1;
  }

  async begin(): Promise<void> {
    this.keep();
    const aim = this.aim;
    await notices.attempt(async () => {
      const wish = $state.snapshot(this.wish) as Wish;
      const where = aim.kind === 'end' ? { document: aim.document } : aim.kind === 'after' ? { after: aim.page } : aim.kind === 'instead' ? { instead: aim.page } : {};
      const among = aim.kind === 'after' || aim.kind === 'instead';
      this.scan = await api.beginScan(this.batch, this.chosen, wish, {
        document: null, after: null, instead: null, ...where,
        cut: among ? 'none' : this.cut, sheets: this.sheets, prefix: this.prefix, counter: this.counter(),
      });
      if (aim.kind === 'instead') this.aim = { kind: 'new' };
    });
  }

  act = (what: (id: number) => Promise<Scan>) => notices.attempt(async () => { if (this.scan) this.scan = await what(this.scan.id); });

  async end(): Promise<void> {
    await notices.attempt(async () => {
      if (this.scan) await api.endScan(this.scan.id);
      this.scan = null;
      this.aim = { kind: 'new' };
    });
  }

  /** Scan a page once more, in the place of the one that is bad. */
  again(face: Face): void {
    if (face.page) this.aim = { kind: 'instead', page: face.page, says: `instead of side ${face.number + 1} of ${face.title}` };
  }

  async savePreset(name: string): Promise<void> {
    await notices.attempt(async () => {
      this.presets = await api.saveScanPreset(name, this.choices);
      notices.notify(`Kept as “${name}”.`);
    });
  }

  async deletePreset(id: number): Promise<void> {
    await notices.attempt(async () => {
      await api.deleteScanPreset(id);
      this.presets = await api.scanPresets();
    });
  }
}

export const scanning = new Scanning();
