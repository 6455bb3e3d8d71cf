import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day } from '../../lib/date';
import { isZero, money, quantity, unitCost } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { ItemCode } from '../../ui/ItemCode';
import { ChainLink } from '../../stock/ChainLink';
import { SteppedLine } from '../../stock/SteppedLine';
import { StepTable } from '../../stock/StepTable';
import { Loaded } from '../../ui/States';
import { meOptions } from '../../api/queries';
import { itemStoresOptions, worthOptions, type ItemStores, type Piece } from './queries';
import { ReleaseFrame } from '../../orders/ReleaseFrame';

/** Where an item lies, and what becomes of it. */
export function ItemStoresPage() {
  const code = useParams()['code'] ?? '';
  const stores = useQuery(itemStoresOptions(code));
  return <Loaded query={stores}>{(s) => <Page stores={s} />}</Loaded>;
}

function Page({ stores: s }: { stores: ItemStores }) {
  const { start } = useCommands();
  const may = useMay();
  const parts = [
    [s.reserved, 'reserved'],
    [s.free, 'free'],
    [s.held, 'held back'],
    [s.on_the_way, 'on the way'],
  ] as const;
  const words = parts.filter(([q, name]) => name === 'free' || !isZero(q)).map(([q, name]) => `${quantity(q)} ${name}`);
  return (
    <ReleaseFrame
      title={
        <>
          {s.name} <ItemCode code={s.item} className="text-[15px]! font-normal" />
        </>
      }
      words={
        <>
          {quantity(s.on_hand)} {s.unit} on hand: {words.join(', ')}
          <Worth item={s.item} />
        </>
      }
      acts={may.has('open-count') && <Button onClick={() => start('open-count', { item: s.item })}>Count…</Button>}
    >
      <Pieces stores={s} />
      <section aria-label="Supply and demand" className="mt-4">
        <h2 className="flex items-baseline gap-3 px-4">
          Supply and demand <ChainLink item={s.item} way="up" source="stock" />
          <Link className="quiet-link text-[12px] text-act" to={`/plan/items/${encodeURIComponent(s.item)}`}>
            what may be promised
          </Link>
        </h2>
        {s.steps.length > 0 && <SteppedLine item={s.item} unit={s.unit} today={s.today} beginsAt={s.begins_at} steps={s.steps} />}
        <Steps stores={s} />
      </section>
    </ReleaseFrame>
  );
}

/** What all of it is worth and on what that stands, for who may see costs. */
function Worth({ item }: { item: string }) {
  const me = useQuery(meOptions()).data;
  const worth = useQuery({ ...worthOptions(item), enabled: me?.sees_costs === true }).data;
  if (!worth || isZero(worth.quantity)) return null;
  return (
    <span className="block">
      worth {money(worth.value)} EUR{worth.unit_cost && `, ${unitCost(worth.unit_cost)} EUR each`}, {worth.valuation === 'standard' ? 'at standard' : `by ${worth.valuation}, ${worth.basis}`}
      {worth.waits_for.length > 0 && `: ${worth.waits_for.join(', ')}`}
    </span>
  );
}

function Pieces({ stores: s }: { stores: ItemStores }) {
  const { start } = useCommands();
  const may = useMay();
  const given = (p: Piece) => ({ item: s.item, place: p.place, lot: p.lot });
  const acts = [
    ['move-stock', 'Move…', (p: Piece) => ({ from_place: p.place, lines: [{ item: s.item, quantity: '', lot: p.lot }] })],
    ['adjust-stock', 'Put right…', given],
    ['scrap-stock', 'Scrap…', given],
    ...(s.tracking === 'lot' ? ([['split-lot', 'Split…', given]] as const) : []),
  ] as const;
  return (
    <div className="overflow-x-auto">
      <table className="rows" aria-label="Where it lies">
        <thead>
          <tr>
            <th className="pl-4!">Place</th>
            {s.tracking !== 'none' && <th>{s.tracking}</th>}
            {s.tracking !== 'none' && <th>last day</th>}
            <th className="num">on hand</th>
            <th className="num">reserved</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {s.pieces.map((p) => (
            <tr key={`${p.place} ${p.lot}`}>
              <td className="pl-4! whitespace-nowrap">
                {p.place_name} <span className="text-[12px] text-quiet">{p.is_on_the_way ? '' : p.site}</span>
              </td>
              {s.tracking !== 'none' && (
                <td className="whitespace-nowrap">
                  <Link className="code quiet-link" to={`/release/stock/${encodeURIComponent(s.item)}/${encodeURIComponent(p.lot)}`}>
                    {p.lot}
                  </Link>
                  {p.state !== 'usable' && <span className="ml-2 text-attention">{p.state}</span>}
                </td>
              )}
              {s.tracking !== 'none' && (
                <td className={`whitespace-nowrap ${p.may_be_used || p.state !== 'usable' ? '' : 'text-attention'}`}>
                  {p.expires_on ? `${day(p.expires_on)}${p.may_be_used || p.state !== 'usable' ? '' : ', expired'}` : ''}
                </td>
              )}
              <td className="num">
                {quantity(p.on_hand)}
                <span className="unit">{s.unit}</span>
              </td>
              <td className="num">{isZero(p.reserved) ? '–' : quantity(p.reserved)}</td>
              <td className="num w-full pr-4!">
                {!p.is_on_the_way && (
                  <span className="flex justify-end gap-3">
                    {acts.map(
                      ([command, name, of]) =>
                        may.has(command) && (
                          <Button key={command} look="link" onClick={() => start(command, of(p))}>
                            {name}
                          </Button>
                        ),
                    )}
                  </span>
                )}
              </td>
            </tr>
          ))}
          {s.pieces.length === 0 && (
            <tr>
              <td colSpan={6} className="pl-4! text-quiet">
                Nothing of it is in stock.
              </td>
            </tr>
          )}
          {s.whole > s.pieces.length && (
            <tr>
              <td colSpan={6} className="pl-4! text-quiet">
                the first {s.pieces.length} of {s.whole.toLocaleString()}
              </td>
            </tr>
          )}
        </tbody>
      </table>
    </div>
  );
}

/** Each thing that changes the stock, the day it happens, and what there is then. */
function Steps({ stores: s }: { stores: ItemStores }) {
  return (
    <StepTable today={s.today} beginsAt={s.begins_at} unit={s.unit} steps={s.steps}>
      {!isZero(s.undated) && (
        <tr>
          <td className="pl-4! text-quiet">no day known</td>
          <td className="text-quiet">also to come</td>
          <td className="num">{quantity(s.undated)}</td>
          <td />
          <td />
        </tr>
      )}
      {s.steps.length === 0 && isZero(s.undated) && (
        <tr>
          <td />
          <td colSpan={4} className="text-quiet">
            Nobody wants it, and nothing is to come.
          </td>
        </tr>
      )}
    </StepTable>
  );
}
