import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { basicsOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { isZero, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Loaded } from '../../ui/States';
import { stockListOptions } from './queries';
import { ReleaseFrame } from '../../orders/ReleaseFrame';

const figures = [
  ['on hand', 'on_hand'],
  ['reserved', 'reserved'],
  ['free', 'free'],
  ['held back', 'held'],
  ['on the way', 'on_the_way'],
  ['wanted', 'wanted'],
  ['expected', 'expected'],
] as const;
const PAGE = 200;

/** All stock, an item a row. */
export function StockPage() {
  const [query, setQuery] = useSearchParams();
  const { start } = useCommands();
  const may = useMay();
  const basics = useQuery(basicsOptions());
  const filter = query.get('filter') ?? '';
  const site = query.get('site') ?? '';
  const skip = Number(query.get('skip') ?? 0);
  const stock = useQuery(stockListOptions(filter, site, skip));
  const ask = (next: Record<string, string>) =>
    setQuery(Object.fromEntries(Object.entries({ filter, site, ...next }).filter(([, v]) => v)), { replace: true });
  return (
    <ReleaseFrame
      title="Stock"
      words="On hand is reserved, free, held back or on the way. Open an item for its places, its lots and its future."
      acts={
        <>
          {may.has('move-stock') && <Button onClick={() => start('move-stock')}>Move…</Button>}
          {may.has('receive-material') && <Button onClick={() => start('receive-material')}>Receive material…</Button>}
        </>
      }
    >
      <div className="flex flex-wrap items-center gap-3 px-4 pb-2">
        <input
          className="entry w-64!"
          aria-label="Filter items"
          placeholder="Type to filter"
          value={filter}
          onChange={(e) => ask({ filter: e.target.value })}
        />
        {(basics.data?.sites.length ?? 0) > 1 && (
          <select className="entry w-48!" aria-label="Site" value={site} onChange={(e) => ask({ site: e.target.value })}>
            <option value="">all sites</option>
            {basics.data?.sites.map((s) => (
              <option key={s.code} value={s.code}>
                {s.name}
              </option>
            ))}
          </select>
        )}
        <span role="status" className="text-[12px] text-quiet">
          {stock.data && `${stock.data.whole.toLocaleString()} items`}
        </span>
      </div>
      <Loaded query={stock}>
        {(page) => (
          <div className="overflow-x-auto">
            <table className="rows" aria-label="Stock by item">
              <thead>
                <tr>
                  <th className="pl-4!">Item</th>
                  {figures.map(([head]) => (
                    <th key={head} className="num last:pr-4!">
                      {head}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {page.rows.map((r) => (
                  <tr key={r.item}>
                    <td className="pl-4! whitespace-nowrap">
                      <Link className="quiet-link" to={`/release/stock/${encodeURIComponent(r.item)}`}>
                        {r.name}
                      </Link>{' '}
                      <span data-peek={r.item} className="code text-quiet">
                        {r.item}
                      </span>
                    </td>
                    {figures.map(([head, name]) => (
                      <td key={head} className={`num last:pr-4! ${name === 'held' && !isZero(r.held) ? 'text-attention' : ''}`}>
                        {isZero(r[name]) && name !== 'on_hand' && name !== 'free' ? (
                          <span className="text-quiet">–</span>
                        ) : (
                          <>
                            {quantity(r[name])}
                            {name === 'on_hand' && <span className="unit inline-block w-7 text-left">{r.unit}</span>}
                          </>
                        )}
                      </td>
                    ))}
                  </tr>
                ))}
                {page.rows.length === 0 && (
                  <tr>
                    <td colSpan={figures.length + 1} className="pl-4! text-quiet">
                      {filter || site ? 'Nothing matches.' : 'Nothing is in stock. Receive the first material.'}
                    </td>
                  </tr>
                )}
              </tbody>
            </table>
            {page.whole > PAGE && (
              <p className="flex gap-4 px-4 py-2">
                <Button look="link" disabled={skip === 0} onClick={() => ask({ skip: skip > PAGE ? String(skip - PAGE) : '' })}>
                  before
                </Button>
                <Button look="link" disabled={skip + PAGE >= page.whole} onClick={() => ask({ skip: String(skip + PAGE) })}>
                  next
                </Button>
                <span className="text-quiet">
                  {(skip + 1).toLocaleString()} to {Math.min(skip + PAGE, page.whole).toLocaleString()}
                </span>
              </p>
            )}
          </div>
        )}
      </Loaded>
    </ReleaseFrame>
  );
}
