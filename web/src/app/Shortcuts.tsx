import { Dialog } from 'radix-ui';
import type { Keys } from '../bench';
import { Button } from '../ui/Button';
import { benches } from './benches';

const keys: Keys = [
  [
    'Everywhere',
    [
      ['Ctrl-K', 'go to anything, start any command'],
      ['Alt-1 … Alt-5', 'the benches, in the order of the bar'],
      ['Alt-P', 'the item under the focus or the pointer, at a glance'],
      ['O', 'all orders, the wide table'],
      ['?', 'this list'],
    ],
  ],
  [
    'Queue on the left',
    [
      ['↑ ↓', 'move'],
      ['Enter', 'open'],
      ['letters', 'filter'],
    ],
  ],
  [
    'Command in hand',
    [
      ['Ctrl-Enter', 'preview; post once the preview stands'],
      ['Esc', 'leave without posting'],
    ],
  ],
  ...benches.flatMap((b) => b.keys ?? []),
];

/** All shortcuts, each also shown beside what it does. */
export function Shortcuts({ onClose }: { onClose: () => void }) {
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-ink/20" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[8vh] left-1/2 z-40 max-h-[84vh] w-[720px] max-w-[92vw] -translate-x-1/2 overflow-y-auto border border-hair-strong bg-sheet p-5"
        >
          <Dialog.Title className="mb-3 text-[18px] font-semibold">Keys</Dialog.Title>
          <div className="columns-2 gap-8">
            {keys.map(([where, list]) => (
              <section key={where} className="mb-4 break-inside-avoid">
                <h2 className="border-b border-hair-strong">{where}</h2>
                <dl>
                  {list.map(([key, does]) => (
                    <div key={key} className="flex min-h-7 items-baseline justify-between gap-3 border-b border-hair">
                      <dt className="whitespace-nowrap">
                        <kbd>{key}</kbd>
                      </dt>
                      <dd className="text-right">{does}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
          <Button onClick={onClose}>Close</Button>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
