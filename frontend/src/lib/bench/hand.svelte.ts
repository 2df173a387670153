/** What lies on the sheet while cleaning: the page, or a frame with handles for one step. */
export type Handles = 'none' | 'outline' | 'fold' | 'cut' | 'grid';
export type Tool = 'none' | 'area' | 'freehand' | 'mark' | 'alike' | 'restore';

/** The tool in hand: one at a time, and none while handles are out. */
export class Hand {
  handles = $state<Handles>('none');
  tool = $state<Tool>('none');
  seam = $state(false);

  open(handles: Handles): void {
    this.handles = this.handles === handles ? 'none' : handles;
    this.tool = 'none';
  }

  use(tool: Tool): void {
    this.tool = this.tool === tool ? 'none' : tool;
    this.handles = 'none';
  }

  empty(): void {
    this.handles = 'none';
  }
}

export const hand = new Hand();
