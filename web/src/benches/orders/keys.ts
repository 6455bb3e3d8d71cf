import type { Keys } from '../../bench';

export const keys: Keys = [
  [
    'Order',
    [
      ['Alt-R', 'report, or release a planned order'],
      ['Alt-I', 'issue components'],
      ['Alt-V', 'receive output'],
      ['Alt-C', 'complete, or close a completed order'],
      ['Alt-B', 'cost bridge, and back'],
      ['Alt-X', 'its costliest component'],
    ],
  ],
];
