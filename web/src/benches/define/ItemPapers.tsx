import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { documentPath } from '../../api/queries';
import { documentsOptions, type Item, type ItemFull, listPricesOptions, pricesOptions } from './queries';
import { useCommands } from '../../commands/CommandContext';
import { DocumentList } from '../../documents/DocumentList';
import { shortDay } from '../../lib/date';
import { isZero, plain, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Quantity, UnitCost } from '../../ui/Numbers';
import { useMay } from '../../commands/useMay';

/** What suppliers ask for a bought item, by quantity and time. */
export function PricesBlock({ item }: { item: Item }) {
  const prices = useQuery(pricesOptions(item.code));
  return (
    <DatedPrices
      item={item}
      prices={prices.data?.map((p) => ({ ...p, partner: p.supplier }))}
      head="Supplier"
      command="set-prices"
      words="Prices"
      nothing="no supplier has a price"
      given={(p) => ({ supplier: p.partner })}
    />
  );
}

/** What we ask for an item, by customer, quantity and time. */
export function ListPricesBlock({ item }: { item: Item }) {
  const prices = useQuery(listPricesOptions(item.code));
  return (
    <DatedPrices
      item={item}
      prices={prices.data?.map((p) => ({ ...p, partner: p.customer, name: p.name || 'everybody' }))}
      head="List price for"
      command="set-list-prices"
      words="List prices"
      nothing="no list price"
      given={(p) => (p.partner ? { customer: p.partner } : {})}
    />
  );
}

interface DatedPrice {
  partner: string;
  name: string;
  price: string;
  from_quantity: string;
  effective_from: string | null;
  effective_until: string | null;
}

function DatedPrices({
  item,
  prices,
  head,
  command,
  words,
  nothing,
  given,
}: {
  item: Item;
  prices: DatedPrice[] | undefined;
  head: string;
  command: string;
  words: string;
  nothing: string;
  /** how the command names the partner of a price */
  given: (price: DatedPrice) => Record<string, string>;
}) {
  const { start } = useCommands();
  const may = useMay();
  const asGiven = (p: DatedPrice) => ({
    ...given(p),
    price: plain(p.price),
    from_quantity: plain(p.from_quantity),
    ...(p.effective_from ? { effective_from: p.effective_from } : {}),
    ...(p.effective_until ? { effective_until: p.effective_until } : {}),
  });
  return (
    <table className="rows" aria-label={words}>
      <thead>
        <tr>
          <th className="pl-4!">{head}</th>
          <th className="num">from</th>
          <th className="num">EUR</th>
        </tr>
      </thead>
      <tbody>
        {prices?.map((p, n) => (
          <tr key={n}>
            <td className="pl-4!">
              {p.name} <span className="code text-quiet">{p.partner}</span>
              {(p.effective_from || p.effective_until) && (
                <span className="ml-2 text-[12px] text-quiet">
                  {p.effective_from && `from ${shortDay(p.effective_from)}`} {p.effective_until && `until ${shortDay(p.effective_until)}`}
                </span>
              )}
            </td>
            <td className="num">{!isZero(p.from_quantity) && <Quantity value={p.from_quantity} unit={item.unit} />}</td>
            <td className="num">
              <UnitCost value={p.price} />
            </td>
          </tr>
        ))}
        <tr>
          <td colSpan={3} className="pl-4!">
            {prices?.length === 0 && <span className="mr-3 text-quiet">{nothing}</span>}
            {prices && may.has(command) && (
              <Button look="link" onClick={() => start(command, { item: item.code, prices: prices.map(asGiven) })}>
                {words} of {item.code}…
              </Button>
            )}
          </td>
        </tr>
      </tbody>
    </table>
  );
}

/** How an item is planned, told apart and stocked. */
export function PlanningBlock({ item }: { item: ItemFull }) {
  const { start } = useCommands();
  const may = useMay();
  const sizes = [item.form_length, item.form_width, item.form_thickness].filter((s) => s !== null).map((s) => quantity(s));
  const facts: [string, ReactNode][] = [
    ['valued at', item.valuation],
    ['lot sizing', item.lot_rule],
    ...(item.lead_time_days === null ? [] : [['lead time', `${item.lead_time_days} working days`] as [string, ReactNode]]),
    ...(item.lot_minimum === null ? [] : [['at least', <Quantity key="m" value={item.lot_minimum} unit={item.unit} />] as [string, ReactNode]]),
    ...(item.lot_multiple === null ? [] : [['in multiples of', <Quantity key="x" value={item.lot_multiple} unit={item.unit} />] as [string, ReactNode]]),
    ...(item.lot_maximum === null ? [] : [['at most', <Quantity key="o" value={item.lot_maximum} unit={item.unit} />] as [string, ReactNode]]),
    ...(item.safety_stock === null ? [] : [['safety stock', <Quantity key="s" value={item.safety_stock} unit={item.unit} />] as [string, ReactNode]]),
    ...(item.tracking === 'none' ? [] : [['told apart by', `${item.tracking}, ${item.number_rule}`] as [string, ReactNode]]),
    ...(item.form === '' ? [] : [['form', `${item.form} ${sizes.join(' × ')} mm${item.price_per ? `, priced per ${item.price_per}` : ''}`] as [string, ReactNode]]),
  ];
  return (
    <table className="rows" aria-label="Planning">
      <thead>
        <tr>
          <th>Planned and kept</th>
          <td className="num">
            {may.has('change-item') && (
              <span className="flex justify-end gap-3">
                <Button look="link" onClick={() => start('plan-item', { code: item.code })}>
                  Planning…
                </Button>
                {item.source !== 'make' && (
                  <Button look="link" onClick={() => start('form-item', { code: item.code })}>
                    Form…
                  </Button>
                )}
              </span>
            )}
          </td>
        </tr>
      </thead>
      <tbody>
        {facts.map(([name, value]) => (
          <tr key={name}>
            <td className="text-quiet">{name}</td>
            <td className="num">{value}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Drawings and pictures: shown here and wherever the item stands in a structure. */
export function DocumentsBlock({ item }: { item: Item }) {
  const { start } = useCommands();
  const may = useMay();
  const documents = useQuery(documentsOptions(item.code));
  return (
    <section aria-label="Documents" className="px-2 pb-1">
      <p className="flex h-[24px] items-center justify-between border-b border-hair-strong text-[12px] text-quiet">Documents</p>
      <DocumentList
        documents={documents.data}
        pathOf={(name) => documentPath(item.code, name)}
        onAttach={may.has('attach-document') ? (kept) => start('attach-document', { item: item.code, ...kept }) : null}
        onDetach={may.has('detach-document') ? (name) => start('detach-document', { item: item.code, name }) : null}
      />
    </section>
  );
}
