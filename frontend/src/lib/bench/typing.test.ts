import { describe, expect, it } from 'vitest';
import { typeInto } from './typing';

function field(value: string, from: number, to: number, direction: 'forward' | 'backward' = 'forward', dir = 'ltr'): HTMLInputElement {
  const made = document.createElement('input');
  made.style.direction = dir;
  document.body.append(made);
  made.value = value;
  made.setSelectionRange(from, to, direction);
  return made;
}
const press = (on: HTMLInputElement, key: string, more: KeyboardEventInit = {}) => typeInto(on, new KeyboardEvent('keydown', { key, ...more }));
const range = (of: HTMLInputElement) => [of.selectionStart, of.selectionEnd];

describe('keys that a script sends to a field', () => {
  it('write and take away at the caret or instead of what is selected', () => {
    const one = field('tbe', 1, 2);
    press(one, 'h');
    expect([one.value, ...range(one)]).toEqual(['the', 2, 2]);
    press(one, 'Backspace');
    press(one, 'Delete');
    expect([one.value, ...range(one)]).toEqual(['t', 1, 1]);
    press(one, 'Delete');
    press(one, 'x', { ctrlKey: true });
    expect(one.value).toBe('t');
  });
  it('move the caret and select as the field would', () => {
    const one = field('lamp', 0, 4);
    press(one, 'Home');
    press(one, 'ArrowRight', { shiftKey: true });
    expect(range(one)).toEqual([0, 1]);
    press(one, 'ArrowLeft');
    expect(range(one)).toEqual([0, 0]);
    press(one, 'End');
    press(one, 'ArrowLeft', { shiftKey: true });
    press(one, 'ArrowLeft', { shiftKey: true });
    expect([...range(one), one.selectionDirection]).toEqual([2, 4, 'backward']);
    press(one, 'ArrowRight', { shiftKey: true });
    expect(range(one)).toEqual([3, 4]);
    press(one, 'ArrowRight');
    expect(range(one)).toEqual([4, 4]);
  });
  it('go the other way from right to left', () => {
    const one = field('مصباح', 0, 0, 'forward', 'rtl');
    press(one, 'ArrowLeft');
    expect(range(one)).toEqual([1, 1]);
  });
});
