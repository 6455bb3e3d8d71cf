import type { Bench } from '../../bench';
import { forms } from './forms';
import { routes } from './routes';

/** Picking, carriers and labels; part of the release bench. */
export const bench: Bench = {
  bar: [],
  routes,
  forms,
  pages: [
    ['/release/picks', 'Pick lists'],
    ['/release/carriers', 'Carriers: pallets, boxes, trolleys'],
    ['/release/printer', 'Label printer'],
    ['/scanner', 'Simulated scanner'],
  ],
  keys: [
    [
      'Pick list',
      [
        ['Enter', 'taken as listed; after a scan, what was scanned'],
        ['scan', 'place, item or lot, target: in any order'],
      ],
    ],
  ],
  opens: { 'pick list': (number) => `/release/picks/${number}` },
};
