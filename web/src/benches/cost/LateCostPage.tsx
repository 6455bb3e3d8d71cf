import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { useCommands } from '../../commands/CommandContext';
import { useMay } from '../../commands/useMay';
import { moment } from '../../lib/date';
import { isZero, money, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Empty, Loaded } from '../../ui/States';
import { CostFrame } from './CostFrame';
import { type ChainRow, chainOptions, lateCostsOptions, type Run } from './queries';

/** What of late cost waits, with the chain that it would walk; and the runs that carried some on. */
export function LateCostPage() {
  const { start } = useCommands();
  const may = useMay();
  const late = useQuery(lateCostsOptions());
  const l = late.data;
  const words = !l
    ? 'What came after its goods had moved on.'
    : l.count === 0
      ? 'Nothing waits: all that came late is where its goods went.'
      : `${money(l.waiting)} EUR of ${l.count === 1 ? 'one late cost waits' : `${l.count} late costs wait`} to be carried to where the goods went. This is the chain that it will walk.`;
  return (
    <CostFrame
      title="Late cost"
      words={words}
      acts={
        may.has('carry-late-cost') &&
        (l?.count ?? 0) > 0 && (
          <Button look="act" onClick={() => start('carry-late-cost')}>
            Carry {l && money(l.waiting)} on…
          </Button>
        )
      }
    >
      <Loaded query={late}>
        {(found) => (
          <>
            {found.rows.length > 0 && <Chain rows={found.rows} whole={found.whole} amount={found.waiting} />}
            <Runs runs={found.runs} />
          </>
        )}
      </Loaded>
    </CostFrame>
  );
}

/** The chain of a run that was posted. */
export function ChainPage() {
  const chain = useQuery(chainOptions(Number(useParams()['posting'])));
  const run = chain.data?.run;
  return (
    <CostFrame
      title={run ? `${money(run.amount)} EUR carried on` : 'Late cost carried on'}
      words={run ? `${moment(run.at)} by ${run.person || 'the night'}` : ''}
      acts={
        run && (
          <Link className="quiet-link text-act" to={`/postings/${run.posting}`}>
            Posting {run.posting}
          </Link>
        )
      }
    >
      <Loaded query={chain}>{(c) => <Chain rows={c.rows} whole={c.whole} amount={c.run.amount} />}</Loaded>
    </CostFrame>
  );
}

/** A chain as it is walked: what led to something stands above it, less indented. */
function Chain({ rows, whole, amount }: { rows: ChainRow[]; whole: number; amount: string }) {
  return (
    <table className="rows" aria-label="Chain">
      <thead>
        <tr>
          <th className="pl-4!">Where it goes</th>
          <th className="num">quantity</th>
          <th className="num">before</th>
          <th className="num">after</th>
          <th className="num pr-4!">EUR</th>
        </tr>
      </thead>
      <tbody>
        <tr className="font-semibold">
          <td className="pl-4!" colSpan={4}>
            All that came late
          </td>
          <td className="num pr-4!">{money(amount)}</td>
        </tr>
        {rows.map((r, n) => (
          <tr key={n} className={r.stays ? '' : 'text-quiet'}>
            <td className="w-full pl-4!">
              <span style={{ paddingLeft: `${Math.min(r.depth, 8) * 18}px` }}>
                <Where row={r} />
              </span>
            </td>
            <td className="num whitespace-nowrap">
              {!isZero(r.quantity) && (
                <>
                  {quantity(r.quantity)}
                  <span className="unit">{r.unit}</span>
                </>
              )}
            </td>
            <td className="num">{r.kind !== 'late cost' && money(r.before)}</td>
            <td className="num">{r.kind !== 'late cost' && money(r.after)}</td>
            <td className={`num pr-4! ${r.stays ? 'font-semibold' : ''}`}>{money(r.amount)}</td>
          </tr>
        ))}
      </tbody>
      <tfoot>
        <tr className="font-semibold">
          <td className="pl-4!" colSpan={4}>
            {whole > rows.length ? `What comes to rest; ${rows.length} of ${whole.toLocaleString()} rows are shown` : 'What comes to rest (bold)'}
          </td>
          <td className="num pr-4!">{money(amount)}</td>
        </tr>
      </tfoot>
    </table>
  );
}

function Where({ row: r }: { row: ChainRow }) {
  const item = (
    <>
      {r.name} <span className="code">{r.item}</span>
    </>
  );
  if (r.kind === 'late cost')
    return (
      <>
        {r.origin}: {item}
        {r.receipt !== null && (
          <>
            , received by{' '}
            <Link className="quiet-link" to={`/postings/${r.receipt}`}>
              posting <span className="code">{r.receipt}</span>
            </Link>
          </>
        )}
      </>
    );
  if (r.order !== null)
    return (
      <>
        {item} in{' '}
        <Link className="quiet-link" to={`/orders/${r.order}/bridge`}>
          order <span className="code">{r.order}</span>
        </Link>{' '}
        operation {r.operation}
        {r.stays ? '' : ', and on into what it made'}
      </>
    );
  return (
    <>
      {item}, {r.customer ? `delivered to ${r.customer}${r.customer_order ? ` for ${r.customer_order}` : ''}` : r.kind === 'stock' ? 'still in stock' : r.kind}
    </>
  );
}

function Runs({ runs }: { runs: Run[] }) {
  if (runs.length === 0) return <Empty>No late cost was carried on yet. The night does it, or the button above once something waits.</Empty>;
  return (
    <table className="rows mt-4" aria-label="Carried on before">
      <thead>
        <tr>
          <th className="pl-4!">Carried on</th>
          <th>by</th>
          <th className="num pr-4!">EUR</th>
        </tr>
      </thead>
      <tbody>
        {runs.map((r) => (
          <tr key={r.posting}>
            <td className="pl-4! whitespace-nowrap">
              <Link className="quiet-link" to={`/cost/late/${r.posting}`}>
                {moment(r.at)}
              </Link>
            </td>
            <td className="w-full">{r.person || 'the night'}</td>
            <td className="num pr-4!">{money(r.amount)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
