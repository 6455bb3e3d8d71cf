import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { values } from '../../api/values';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { day } from '../../lib/date';
import { isZero, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { VarianceText } from '../../ui/Numbers';
import { Empty, Loaded } from '../../ui/States';
import { CostFrame } from './CostFrame';
import { askedOf, barsOf, narrowed, widened } from './across';
import { acrossOptions, acrossOrdersOptions, type Across, type Asked, type By } from './queries';

/** Why finished orders cost more or less than their standards, by whatever is asked. */
export function AcrossPage() {
  const [query, setQuery] = useSearchParams();
  const asked = askedOf(query);
  const { start } = useCommands();
  const may = useMay();
  const across = useQuery(acrossOptions(asked));
  const set = (more: Partial<Asked>) => setQuery({ ...asked, ...more }, { replace: true });
  const file = (form: string) => `/api/variances.${form}?${new URLSearchParams(Object.entries(asked).filter(([, v]) => v !== ''))}`;
  return (
    <CostFrame
      title="Variances across orders"
      words={across.data?.sentence ?? 'Orders finished in a span of time.'}
      acts={
        <>
          {may.has('set-variance-threshold') && (
            <Button look="link" onClick={() => start('set-variance-threshold')}>
              What is told of…
            </Button>
          )}
          <a className="quiet-link text-act" href={file('csv')}>
            CSV
          </a>
          <a className="quiet-link text-act" href={file('xlsx')}>
            XLSX
          </a>
          <a className="quiet-link text-act" href={file('pdf')} target="_blank" rel="noreferrer">
            Print
          </a>
        </>
      }
    >
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5 px-4 pb-2 text-quiet">
        <Axis label="Rows" value={asked.rows} onValue={(rows) => set({ rows })} />
        <Axis label="Columns" value={asked.columns} onValue={(columns) => set({ columns })} />
        <Day label="from" value={asked.since || (across.data?.since ?? '')} onValue={(since) => set({ since })} />
        <Day label="to" value={asked.until || (across.data?.until ?? '')} onValue={(until) => set({ until })} />
        {asked.where.split(';').filter(Boolean).map((said) => (
          <Button key={said} look="link" aria-label={`Leave out ${said}`} onClick={() => set({ where: widened(asked.where, said) })}>
            {said.replace(':', ': ')} ×
          </Button>
        ))}
      </div>
      <Loaded query={across}>
        {(a) =>
          a.rows.length === 0 ? (
            <Empty>No order was finished in this time with a variance. Choose an earlier day to begin from.</Empty>
          ) : (
            <Table across={a} asked={asked} onWhere={(where) => set({ where })} />
          )
        }
      </Loaded>
      {asked.where !== '' && <Orders asked={asked} />}
    </CostFrame>
  );
}

function Axis({ label, value, onValue }: { label: string; value: By; onValue: (by: By) => void }) {
  return (
    <label className="flex items-center gap-1.5">
      {label}
      <select className="entry w-36!" value={value} onChange={(e) => onValue(e.target.value as By)}>
        {values.By.map((by) => (
          <option key={by}>{by}</option>
        ))}
      </select>
    </label>
  );
}

function Day({ label, value, onValue }: { label: string; value: string; onValue: (day: string) => void }) {
  return (
    <label className="flex items-center gap-1.5">
      {label}
      <input type="date" className="entry w-36!" value={value} onChange={(e) => onValue(e.target.value)} />
    </label>
  );
}

/** What is shown of columns: the widest there is room for; all of them are in the file. */
const MOST_COLUMNS = 4;

function Table({ across: a, asked, onWhere }: { across: Across; asked: Asked; onWhere: (where: string) => void }) {
  const columns = a.columns.slice(0, MOST_COLUMNS);
  const bars = barsOf(a.rows);
  return (
    <div className="overflow-x-auto">
      <table className="rows" aria-label="Variances">
        <thead>
          <tr>
            <th className="pl-4! first-letter:uppercase">{asked.rows}</th>
            <th className="num">orders</th>
            <th className="num">EUR</th>
            <th>
              <span className="sr-only">Share</span>
            </th>
            <th className="num" title="of all that is unfavourable, with the rows above">
              running
            </th>
            <th className="num" title="against the three spans before, on average">
              moved
            </th>
            {columns.map((c) => (
              <th key={c.key} className="num last:pr-4!">
                {c.name || `no ${asked.columns}`}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {a.rows.map((r, n) => (
            <tr key={r.key}>
              <td className="w-full max-w-0 truncate pl-4!" title={r.name}>
                <button type="button" className="cursor-pointer text-left" onClick={() => onWhere(narrowed(asked.where, asked.rows, r.key))}>
                  {r.name || <span className="text-quiet">no {asked.rows}</span>} {r.key !== r.name && <span className="code text-quiet">{r.key}</span>}
                </button>
              </td>
              <td className="num">{r.orders}</td>
              <td className="num font-semibold">
                <VarianceText value={r.amount} />
              </td>
              <td>
                <span aria-hidden className="relative block h-3.5 w-[130px]">
                  <span
                    className={`absolute h-full ${bars[n]?.isFavourable ? 'bg-favourable' : 'bg-unfavourable'}`}
                    style={{ left: `${bars[n]?.from}%`, width: `${bars[n]?.width}%` }}
                  />
                </span>
              </td>
              <td className="num text-quiet">{r.running !== null && `${quantity(r.running)} %`}</td>
              <td className="num text-quiet">{!isZero(r.more) && <VarianceText value={r.more} />}</td>
              {columns.map((c) => {
                const cell = r.cells.find((x) => x.column === c.key);
                return (
                  <td key={c.key} className="num last:pr-4!">
                    {cell && (
                      <button
                        type="button"
                        className="cursor-pointer"
                        title={`${r.name || 'none'}, ${c.name || 'none'}: its orders`}
                        onClick={() => onWhere(narrowed(narrowed(asked.where, asked.rows, r.key), asked.columns, c.key))}
                      >
                        <VarianceText value={cell.amount} />
                      </button>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
          {a.others > 0 && (
            <tr className="text-quiet">
              <td className="pl-4!">{a.others.toLocaleString()} others</td>
              <td />
              <td className="num">
                <VarianceText value={a.others_amount} />
              </td>
              <td colSpan={3 + columns.length} />
            </tr>
          )}
        </tbody>
        <tfoot>
          <tr className="font-semibold">
            <td className="pl-4!">All together</td>
            <td className="num">{a.orders}</td>
            <td className="num">
              <VarianceText value={a.amount} />
            </td>
            <td colSpan={3 + columns.length} className="font-normal text-quiet">
              {a.columns.length > columns.length && `${a.columns.length - columns.length} more columns are in the files`}
            </td>
          </tr>
        </tfoot>
      </table>
    </div>
  );
}

/** The orders behind what was opened, with who follows up. */
function Orders({ asked }: { asked: Asked }) {
  const { start } = useCommands();
  const may = useMay();
  const orders = useQuery(acrossOrdersOptions(asked));
  return (
    <Loaded query={orders}>
      {(o) => (
        <table className="rows mt-4" aria-label="Orders behind it">
          <thead>
            <tr>
              <th className="pl-4!">Order</th>
              <th>finished</th>
              <th className="num">EUR</th>
              <th>basis</th>
              <th>note</th>
              <td className="pr-4!" />
            </tr>
          </thead>
          <tbody>
            {o.rows.map((r) => (
              <tr key={r.order}>
                <td className="w-[38%] pl-4!">
                  <Link className="quiet-link" to={`/orders/${r.order}/bridge`}>
                    <span className="code">{r.order}</span> {r.name}
                  </Link>
                </td>
                <td className="whitespace-nowrap">{day(r.finished)}</td>
                <td className="num">
                  <VarianceText value={r.amount} />
                </td>
                <td className="text-quiet">{r.basis}</td>
                <td className="w-full max-w-0 truncate text-quiet" title={r.note}>
                  {r.note}
                  {r.owner && ` · ${r.owner}`}
                </td>
                <td className="num pr-4!">
                  {may.has('follow-up-variance') && (
                    <Button look="link" aria-label={`Note on ${r.order}`} onClick={() => start('follow-up-variance', { order: r.order })}>
                      Note…
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
          {o.whole > o.rows.length && (
            <tfoot>
              <tr>
                <td colSpan={6} className="pl-4! text-quiet">
                  The {o.rows.length} with the largest amounts, of {o.whole.toLocaleString()}.
                </td>
              </tr>
            </tfoot>
          )}
        </table>
      )}
    </Loaded>
  );
}
