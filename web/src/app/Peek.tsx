import { useQuery } from '@tanstack/react-query';
import { Dialog } from 'radix-ui';
import { type ReactNode, useEffect, useState } from 'react';
import { Link } from 'react-router';
import { peekOptions } from '../api/queries';
import { day, moment } from '../lib/date';
import { Quantity, UnitCost } from '../ui/Numbers';
import { Loaded } from '../ui/States';

/** Alt-P on any code shows the item without leaving: the focused one, or the one under the pointer. */
export function Peek() {
  const [code, setCode] = useState<string | null>(null);
  useEffect(() => {
    function onKeyDown(event: KeyboardEvent) {
      if (!event.altKey || event.code !== 'KeyP') return;
      const found = peeked();
      if (!found) return;
      event.preventDefault();
      setCode(found);
    }
    addEventListener('keydown', onKeyDown);
    return () => removeEventListener('keydown', onKeyDown);
  }, []);
  if (!code) return null;
  return (
    <Dialog.Root open onOpenChange={(open) => !open && setCode(null)}>
      <Dialog.Portal>
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed right-4 bottom-4 z-40 max-h-[80vh] w-[420px] overflow-y-auto border border-hair-strong bg-sheet p-3 shadow-[0_2px_12px_#0002]"
        >
          <AtAGlance code={code} onLeave={() => setCode(null)} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function peeked(): string | null {
  const focused = document.activeElement;
  const near = focused?.closest('[data-peek]') ?? focused?.closest('[role=row], tr')?.querySelector('[data-peek]');
  const found =
    near ??
    document.querySelector('[data-peek]:hover') ??
    document.querySelector('[role=row]:hover [data-peek], tr:hover [data-peek]') ??
    document.querySelector('[role=row][tabindex="0"] [data-peek]'); // the row in hand, focus being on its way back
  return found?.getAttribute('data-peek') ?? null;
}

function AtAGlance({ code, onLeave }: { code: string; onLeave: () => void }) {
  const item = useQuery(peekOptions(code));
  return (
    <>
      <Dialog.Title className="mb-1 text-[14px] font-semibold">
        {item.data?.name} <span className="code font-normal">{code}</span>
      </Dialog.Title>
      <Loaded query={item}>
        {(i) => (
          <table className="rows">
            <tbody>
              <Fact name="On hand">
                <Quantity value={i.on_hand} unit={i.unit} />
              </Fact>
              <Fact name="Reserved">
                <Quantity value={i.reserved} unit={i.unit} />
              </Fact>
              <Fact name="Free">
                <Quantity value={i.free} unit={i.unit} />
              </Fact>
              {i.wanted_by.slice(0, 5).map((w) => (
                <Fact key={`w${w.order}`} name={<Order number={w.order} words={`wanted by ${w.name}`} onLeave={onLeave} />}>
                  <Quantity value={w.quantity} unit={i.unit} /> <span className="text-quiet">{day(w.due)}</span>
                </Fact>
              ))}
              {i.expected.slice(0, 5).map((w) => (
                <Fact key={`e${w.order}`} name={<Order number={w.order} words="expected" onLeave={onLeave} />}>
                  <Quantity value={w.quantity} unit={i.unit} /> <span className="text-quiet">{day(w.due)}</span>
                </Fact>
              ))}
              {i.last_price !== null && (
                <Fact name={`Last price${i.last_received ? `, ${moment(i.last_received)}` : ''}`}>
                  <UnitCost value={i.last_price} />
                </Fact>
              )}
              <Fact name="Standard">{i.standard === null ? 'none' : <UnitCost value={i.standard} />}</Fact>
              <Fact name="Used in">
                <span className="code whitespace-normal">{i.used_in.join(', ') || 'nothing in force'}</span>
              </Fact>
            </tbody>
          </table>
        )}
      </Loaded>
      <p className="mt-1 text-[12px] text-quiet">Esc leaves</p>
    </>
  );
}

function Fact({ name, children }: { name: ReactNode; children: ReactNode }) {
  return (
    <tr>
      <td className="text-quiet">{name}</td>
      <td className="num">{children}</td>
    </tr>
  );
}

function Order({ number, words, onLeave }: { number: number; words: string; onLeave: () => void }) {
  return (
    <>
      <Link className="code quiet-link" to={`/orders/${number}`} onClick={onLeave}>
        {number}
      </Link>{' '}
      {words}
    </>
  );
}
