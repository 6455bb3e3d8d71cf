import type { Keys } from '../../bench';

export const keys: Keys = [
  [
    'Structure',
    [
      ['↑ ↓', 'move'],
      ['→ ←', 'open, close, go to the parent'],
      ['Ctrl-F', 'find; Enter: the next one'],
      ['Alt-X', 'the costliest component'],
      ['Alt-V', 'what its last revision changed'],
      ['Ctrl-C', 'copy the rows for a spreadsheet'],
      ['Enter', 'how the cost of the row came about'],
      ['F2', 'edit the row in the draft of its structure'],
    ],
  ],
];
