import { useQuery } from '@tanstack/react-query';
import { Fragment, useState } from 'react';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day } from '../../lib/date';
import { isZero, plain, quantity } from '../../lib/decimal';
import { ChainLink } from '../../stock/ChainLink';
import { ComesAndGoes, type Place } from '../../stock/ComesAndGoes';
import { SteppedLine } from '../../stock/SteppedLine';
import { Origin, StepTable } from '../../stock/StepTable';
import { Button } from '../../ui/Button';
import { NumberEntry } from '../../ui/Field';
import { Loaded } from '../../ui/States';
import { type PlannedItem, plannedOptions, promiseOptions } from './queries';

/** An item's future with what is proposed: its stock as a line, who gets what, what may be promised. */
export function FuturePage() {
  const code = useParams()['code'] ?? '';
  const found = useQuery(plannedOptions(code));
  return <Loaded query={found}>{(i) => <Shown item={i} />}</Loaded>;
}

function Shown({ item: i }: { item: PlannedItem }) {
  const { start } = useCommands();
  const may = useMay();
  const movable = new Set(may.has('accept-changed') ? i.proposals.map((p) => p.proposal) : []);
  const move = (proposal: number, to: Place) => start('accept-changed', { proposal, quantity: plain(to.size), due: to.day });
  const acts = Object.fromEntries(
    (may.has('accept-changed') ? i.proposals : []).map((p) => [
      `proposal ${p.proposal}`,
      <Button key={p.proposal} look="link" aria-label={`Accept ${quantity(p.quantity)} for ${day(p.due)}`} onClick={() => start('accept-changed', { proposal: p.proposal, quantity: plain(p.quantity), due: p.due })}>
        Accept…
      </Button>,
    ]),
  );
  return (
    <article className="pt-2 pb-4">
      <header className="flex flex-wrap items-start justify-between gap-x-4 px-4">
        <div>
          <h2>
            {i.name}{' '}
            <Link className="code quiet-link" to={`/release/stock/${encodeURIComponent(i.item)}`}>
              {i.item}
            </Link>
          </h2>
          <p className="text-quiet">
            {i.lot_rule}
            {i.lead_time_days !== null && `, ${i.lead_time_days} working days`}
            {!isZero(i.safety_stock) && `, safety stock ${quantity(i.safety_stock)} ${i.unit}`}
          </p>
        </div>
        {i.declined_until && (
          <p className="text-attention">
            Nothing is proposed before {day(i.declined_until)}: {i.declined_why}.{' '}
            {may.has('propose-again') && (
              <Button look="link" onClick={() => start('propose-again', { item: i.item })}>
                Propose it again…
              </Button>
            )}
          </p>
        )}
        {may.has('change-item') && <Button onClick={() => start('plan-item', { code: i.item })}>How it is planned…</Button>}
      </header>
      {i.steps.length > 0 && <ComesAndGoes steps={i.steps} today={i.today} movable={movable} onMove={move} />}
      {i.steps.length > 0 && <SteppedLine item={i.item} unit={i.unit} today={i.today} beginsAt={i.on_hand} steps={i.steps} />}
      <StepTable
        today={i.today}
        beginsAt={i.on_hand}
        unit={i.unit}
        steps={i.steps}
        acts={acts}
      >
        {i.whole > i.steps.length && (
          <tr>
            <td />
            <td className="text-quiet">and {i.whole - i.steps.length} more</td>
          </tr>
        )}
      </StepTable>
      <Pegs item={i} />
      <Promises item={i} />
    </article>
  );
}

function Pegs({ item: i }: { item: PlannedItem }) {
  if (i.pegs.length === 0) return null;
  return (
    <section aria-label="Who gets what" className="pt-4">
      <h2 className="px-4">Who gets what</h2>
      <table className="rows" aria-label="Demands and what covers them">
        <tbody>
          {i.pegs.map((p, n) => (
            <Fragment key={`${p.demand}${p.demand_number}${p.supply}${p.supply_number}${n}`}>
              <tr>
                <td className="w-1/2 pl-4!">
                  {p.demand === '' ? (
                    <span className="text-quiet">wanted by nobody</span>
                  ) : (
                    <>
                      <Origin kind={p.demand} number={p.demand_number} /> {p.demand_words}
                      {p.wanted_on && <span className="text-quiet"> {day(p.wanted_on)}</span>}{' '}
                      <ChainLink item={i.item} way="down" source={p.demand} number={p.demand_number} line={p.demand_line} />
                    </>
                  )}
                </td>
                <td className="num">{quantity(p.quantity)}</td>
                <td className="w-1/2 pr-4!">
                  {p.supply === '' && (
                    <>
                      <span className="text-quiet">from stock</span> <ChainLink item={i.item} way="up" source="stock" />
                    </>
                  )}
                  {p.supply === 'nothing' && <span className="text-attention">nothing covers it</span>}
                  {p.supply_number > 0 && (
                    <>
                      <Origin kind={p.supply} number={p.supply_number} /> {p.supply_words}
                      {p.comes_on && <span className={p.is_late ? 'text-attention' : 'text-quiet'}> {day(p.comes_on)}</span>}{' '}
                      <ChainLink item={i.item} way="up" source={p.supply} number={p.supply_number} />
                    </>
                  )}
                </td>
              </tr>
            </Fragment>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Promises({ item: i }: { item: PlannedItem }) {
  return (
    <section aria-label="What may be promised" className="px-4 pt-4">
      <h2>What may be promised</h2>
      <p className="text-quiet">
        {i.promises.length === 0
          ? 'Nothing of what there is and what comes: all of it is wanted already.'
          : i.promises.map((p) => `${quantity(p.quantity)} ${i.unit} ${p.day === i.today ? 'today' : `from ${day(p.day)}`}`).join(', ')}
        {i.promises.length > 0 && ', without breaking a promise. What is only foreseen counts for nobody.'}
      </p>
      <Earliest item={i} />
    </section>
  );
}

/** When so many could be there, made or bought anew where they are not free, and what decides it. */
function Earliest({ item: i }: { item: PlannedItem }) {
  const [quantityAsked, ask] = useState('1');
  const found = useQuery(promiseOptions(i.item, quantityAsked)).data;
  return (
    <div className="pt-2">
      <label className="flex items-center gap-2">
        When can there be
        <NumberEntry className="w-20!" aria-label={`Quantity of ${i.item} to promise`} value={quantityAsked} onValue={ask} />
        {i.unit}?
        {found && <strong>{day(found.day)}</strong>}
      </label>
      {found && (
        <ol className="pt-1 text-quiet" aria-label="What decides it">
          {found.path.map((s) => (
            <li key={s.item}>
              {day(s.day)}: {quantity(s.quantity)} {s.unit} {s.name}{' '}
              <Link className="code quiet-link" to={`/plan/items/${encodeURIComponent(s.item)}`}>
                {s.item}
              </Link>
              , {s.how}
            </li>
          ))}
        </ol>
      )}
    </div>
  );
}
