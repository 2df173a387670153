import { api, type Operation, type Region } from '../api/client';
import { desk } from './desk.svelte';
import { edits } from './edits.svelte';
import { everything, type Pair } from './outline';
import { look } from './roles';
import { textOf } from './content';
import { notices } from './notices.svelte';
import { saying } from './saying.svelte';
import { selection } from './selection.svelte';

const MM_PER_INCH = 25.4;
export type Tool = 'none' | 'draw' | 'take_out' | 'cut' | 'thread' | 'tie' | 'mark' | 'redact';
export type Kind = 'text' | 'table' | 'figure';

/** Regions and tables by hand: the tool in hand, what is drawn with it, and the changes that come of it. */
export class Shaping {
  tool = $state<Tool>('none');
  /** The stroke or outline under the pointer. */
  drawn = $state<Pair[]>([]);
  /** An outline that waits to be told what it is. */
  asks = $state<Pair[] | null>(null);
  /** The region in hand with the outline it is about to get. */
  draft = $state<{ region: string; outline: Pair[] } | null>(null);
  /** Pictures are being described, one after the other. */
  describing = $state(false);
  /** A reading takes a moment. */
  busy = $state(false);

  use(tool: Tool): void {
    this.tool = this.tool === tool ? 'none' : tool;
    this.drawn = [];
    this.asks = null;
    this.draft = null;
    saying.say(this.tool === 'none' ? 'No tool in hand' : TOLD[this.tool]);
  }

  /** Put down what is in hand: first what is drawn, then the tool. True where there was something. */
  drop(): boolean {
    if (this.drawn.length || this.asks || this.draft) {
      this.drawn = [];
      this.asks = null;
      this.draft = null;
      return true;
    }
    if (this.tool === 'none') return false;
    this.tool = 'none';
    return true;
  }

  async draw(kind: Kind): Promise<void> {
    const outline = this.asks;
    if (!outline) return;
    const before = new Set(everything(desk.page?.content).map((r) => r.id));
    if (await this.send({ op: 'draw_region', outline, kind })) {
      this.asks = null;
      this.tool = 'none';
      const fresh = everything(desk.page?.content).find((r) => !before.has(r.id));
      if (fresh) selection.select(fresh.id);
      if (fresh) saying.say(`New ${nameOf(fresh)}`);
    }
  }

  async shape(region_id: string, outline: Pair[]): Promise<void> {
    this.draft = { region: region_id, outline };
    if (await this.send({ op: 'shape_region', region_id, outline })) this.told(region_id, 'has a new outline');
    this.draft = null;
  }

  takeOut = (area: Pair[]) => this.send({ op: 'take_out_area', area, region_id: selection.region }, 'Area taken out');
  cut = (region_id: string, start: Pair, end: Pair) => this.send({ op: 'cut_region', region_id, start, end }, 'Cut in two');
  merge = () => this.send({ op: 'merge_regions', region_ids: this.inOrder() }, 'Merged');
  remove = () => this.send({ op: 'remove_regions', region_ids: selection.regions }, 'Taken away; its ink stays in the picture');
  omit = (omitted: boolean) => this.send({ op: 'omit_pictures', region_ids: selection.regions, omitted }, omitted ? 'Left out of what is delivered' : 'Put back');
  /** Let the image of a file stand where a picture is. */
  async substitute(region_id: string, file: File): Promise<void> {
    const page = desk.page;
    if (!page) return;
    let image = '';
    this.busy = true;
    await notices.attempt(async () => (image = (await api.addPicture(page.id, file)).image));
    this.busy = false;
    if (image && desk.page?.id === page.id) await this.send({ op: 'substitute_picture', region_id, image }, `${file.name} stands in the picture's stead`);
  }
  restore = (region_id: string) => this.send({ op: 'substitute_picture', region_id, image: '' }, "The scan's own picture is back");
  /** In millimetres; 0 for as wide as on the page. */
  resize = (width: number) => this.send({ op: 'resize_pictures', region_ids: selection.regions, width: width > 0 ? Math.min(Math.max(width / MM_PER_INCH, 0.1), 50) : null }, width > 0 ? `${width} mm wide in office files` : 'As wide as on the page');
  background = () => this.send({ op: 'set_roles', region_ids: selection.regions, role: 'artifact' }, 'In the background: seen, not read');
  makeOf = (kind: Kind) => this.send({ op: 'set_kind', region_ids: selection.regions, kind }, `Made ${kind === 'figure' ? 'a picture' : kind === 'table' ? 'a table' : 'text'}`);
  read = (languages: string[] = []) => this.send({ op: 'read_regions', region_ids: selection.regions, languages }, 'Read again');
  redact = (area: Pair[]) => this.send({ op: 'redact_areas', areas: [area] }, 'Redacted in all that is delivered');
  unredact = (index: number) => this.send({ op: 'unredact', index }, 'Delivered again');
  nest = (by: 1 | -1) => this.send({ op: 'nest_regions', region_ids: selection.regions, by }, by > 0 ? 'Deeper' : 'Less deep');

  /** The one of two blocks that is text is the caption of the other. */
  async tie(first: Region | null, second: Region | null): Promise<void> {
    const text = [first, second].find((r) => r?.kind === 'text');
    const other = [first, second].find((r) => r && r.kind !== 'text');
    if (!text || !other) return saying.say('Draw from a caption to its picture or table');
    if (await this.send({ op: 'tie_caption', region_id: text.id, to: other.id }, `${nameOf(text)} is the caption of a ${look(other.role).name.toLowerCase()}`)) {
      this.tool = 'none';
      selection.select(text.id);
    }
  }

  async follow(region_ids: string[]): Promise<void> {
    if (region_ids.length > 1) await this.send({ op: 'thread_regions', region_ids }, `${region_ids.length} blocks threaded`);
  }

  /** Send a change; screen readers are told when it is made. */
  async send(operation: Operation, done = ''): Promise<boolean> {
    this.busy = true;
    try {
      const made = await edits.edit(operation);
      if (made && done) saying.say(done);
      return made;
    } finally {
      this.busy = false;
    }
  }

  private inOrder(): string[] {
    const order = everything(desk.page?.content).map((r) => r.id);
    return [...selection.regions].sort((a, b) => order.indexOf(a) - order.indexOf(b));
  }

  private told(region_id: string, what: string): void {
    const region = everything(desk.page?.content).find((r) => r.id === region_id);
    if (region) saying.say(`${nameOf(region)} ${what}`);
  }
}

/** A region in a few words, as a screen reader is told of it. */
export function nameOf(region: Region): string {
  const words = textOf(region).replaceAll('\n', ' ').slice(0, 40);
  return `${look(region.role).name}${words ? `: ${words}` : ''}`;
}

const TOLD: Record<Exclude<Tool, 'none'>, string> = {
  draw: 'Draw a block: drag around it, or press Enter for an outline that arrow keys move',
  take_out: 'Take out: drag over what is not to be read',
  cut: 'Cut: draw a line through a block, or press Enter to cut the one in hand between its lines',
  tie: 'Caption: draw a stroke between a caption and its picture or table',
  redact: 'Redact: drag over what must not leave the house; the scan keeps it',
  mark: 'Bookmark: drag around the words that name it',
  thread: 'Thread: draw one stroke through the blocks in the order in which they are read',
};

export const shaping = new Shaping();
