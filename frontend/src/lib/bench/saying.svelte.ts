/** What a screen reader is told of what just happened on the sheet. */
export class Saying {
  text = $state('');

  say(text: string): void {
    // The same words twice in a row are said twice.
    this.text = text === this.text ? `${text}\u00a0` : text;
  }
}

export const saying = new Saying();
