/** What can be made otherwise of one order, where it stands; what is otherwise is marked. */

import { Link } from 'react-router';
import type { Order } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { isZero, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Menu } from '../../ui/Menu';
import type { OrderInput } from './queries';

/** Tell whether its making can be changed, and by whoever is signed in. */
function useChangesMaking(order: Order): boolean {
  const may = useMay();
  return order.acts.includes('change the making of') && may.has('drop-component');
}

/** Who starts, pauses and finishes an operation, and what can be made otherwise at it. */
export function OperationMenu({ order, number }: { order: Order; number: number }) {
  const { start } = useCommands();
  const may = useMay();
  const changes = useChangesMaking(order);
  const given = { order: order.number, operation: number };
  const operation = order.operations.find((o) => o.number === number);
  const works = order.acts.includes('post to') && may.has('start-operation');
  if (!operation || !(changes || works)) return null;
  const isOutside = order.inputs.some((i) => i.operation === number && i.kind === 'subcontract' && !isZero(i.allowed_each));
  const working = [
    operation.working === 'running'
      ? { words: 'Pause it…', onChoose: () => start('pause-operation', given) }
      : { words: 'Start it…', onChoose: () => start('start-operation', given) },
    { words: 'Finish it…', onChoose: () => start('finish-operation', given) },
  ].slice(0, operation.working === 'finished' ? 1 : 2);
  const reworking = may.has('plan-rework') && !isZero(operation.rework) ? [{ words: 'Plan its rework…', onChoose: () => start('plan-rework', given) }] : [];
  const makingOf = [
    { words: 'Add a component…', onChoose: () => start('add-component', given) },
    { words: 'Other hours or yield…', onChoose: () => start('change-operation', given) },
    { words: 'Another work center…', onChoose: () => start('move-operation', given) },
    ...(isOutside ? [{ words: 'Do it inside…', onChoose: () => start('do-operation-inside', given) }] : [{ words: 'Send it out to a supplier…', onChoose: () => start('send-operation-out', given) }]),
    { words: 'An operation after it…', onChoose: () => start('add-operation', { order: order.number, after: number, operation: nextFree(order, number) }) },
    { words: 'Leave it out…', onChoose: () => start('drop-operation', given) },
  ];
  return <Menu label={`Operation ${number}${changes ? ', for this order only' : ''}`} acts={[...(works ? [...working, ...reworking] : []), ...(changes ? makingOf : [])]} />;
}

/** That somebody works at an operation, since when its clock runs, or that nothing more is done there. */
export function WorkedAt({ operation: o }: { operation: Order['operations'][number] }) {
  if (o.working === '') return null;
  const ran = `${quantity(o.worked_hours)} h`;
  if (o.working === 'finished') return <span className="text-quiet"> · finished</span>;
  return (
    <span className={o.working === 'running' ? 'font-semibold' : 'text-quiet'}>
      {' '}
      · {o.working === 'running' ? 'running' : `paused${o.paused_words && `: ${o.paused_words}`}`}, {o.worker}, {ran}
    </span>
  );
}

/** What can be made otherwise of a component. */
export function ComponentMenu({ order, input: i }: { order: Order; input: OrderInput }) {
  const { start } = useCommands();
  const given = { order: order.number, operation: i.operation, item: i.code };
  if (!useChangesMaking(order) || i.kind !== 'component' || i.instead_of.length > 0) return null;
  return (
    <Menu
      label={`${i.code}, for this order only`}
      acts={[
        { words: 'Another quantity…', onChoose: () => start('change-component', given) },
        { words: 'Another item instead…', onChoose: () => start('substitute-component', given) },
        { words: 'Allow an alternate…', onChoose: () => start('allow-alternate', given) },
        { words: 'Leave it out…', onChoose: () => start('drop-component', given) },
      ]}
    />
  );
}

/** How an input stands to the standard that the order was costed with, where they differ. */
export function Otherwise({ order, input: i }: { order: Order; input: OrderInput }) {
  const words = otherwise(order, i);
  return words ? <span className="ml-1.5 text-[12px] text-attention">{words}</span> : null;
}

function otherwise(order: Order, i: OrderInput): string {
  if (i.kind === 'extra cost' || i.is_rework || i.instead_of.length > 0) return '';
  if (isZero(i.allowed_each)) return i.is_in_standard ? 'left out of this order' : '';
  if (i.is_in_standard) return '';
  const was = order.inputs.find((o) => o.is_worked_elsewhere && o.operation === i.operation && o.kind === i.kind);
  return was ? `at ${i.code} instead of ${was.code}` : 'not in the standard';
}

/** That a later revision is in force, with the ways to take it. */
export function NewerRevision({ order }: { order: Order }) {
  const { start } = useCommands();
  const may = useMay();
  if (!order.newer || !order.acts.includes('change the making of')) return null;
  return (
    <p className="mt-1 flex flex-wrap gap-x-4 border-l-4 border-attention bg-attention-wash px-2 py-0.5">
      Revision {order.newer} is in force; this order is made by {order.revision}.
      <Link className="quiet-link text-act" to={`/define/items/${encodeURIComponent(order.item)}/compare?old=${order.revision}&new=${order.newer}`}>
        What differs
      </Link>
      {may.has('adopt-revision') && (
        <Button look="link" onClick={() => start('adopt-revision', { order: order.number })}>
          Adopt it for what has not begun…
        </Button>
      )}
    </p>
  );
}

/** That more was lost than its material allows for, with what can follow. */
export function LostBeyond({ order }: { order: Order }) {
  const { start } = useCommands();
  const may = useMay();
  if (isZero(order.lost_beyond)) return null;
  return (
    <p className="mt-1 flex flex-wrap gap-x-4 border-l-4 border-attention bg-attention-wash px-2 py-0.5">
      After what was lost, material for {quantity(order.lost_beyond)} {order.unit} more is needed to make all {quantity(order.quantity)}.
      {may.has('replenish-order') && (
        <>
          <Button look="link" onClick={() => start('replenish-order', { order: order.number })}>
            Release it…
          </Button>
          <Button look="link" onClick={() => start('accept-less', { order: order.number })}>
            Make fewer…
          </Button>
        </>
      )}
    </p>
  );
}

/** A number for an operation after another one, halfway to the next. */
function nextFree(order: Order, number: number): number {
  const next = order.operations.find((o) => o.number > number)?.number ?? number + 20;
  return number + Math.max(1, Math.floor((next - number) / 2));
}
