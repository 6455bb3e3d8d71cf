import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, Outlet, useParams, useSearchParams } from 'react-router';
import { ApiError, type Problem, startJob } from '../../api/http';
import { workCentersOptions } from '../../api/queries';
import { useCommands } from '../../commands/CommandContext';
import { JobProgress } from '../../commands/JobProgress';
import { useMay } from '../../commands/useMay';
import { moment, shortDay } from '../../lib/date';
import { money, quantity } from '../../lib/decimal';
import { Button } from '../../ui/Button';
import { Empty, Loaded, ProblemNote } from '../../ui/States';
import { type List, LISTS, PAGE, openOrdersOptions, planOptions, type Proposal, proposalsOptions } from './queries';

const words: Record<List, string> = { all: 'all', make: 'to make', buy: 'to buy', late: 'too late', decided: 'decided' };

/** What planning proposes on the left; beside it one item's future, or what of what exists should move. */
export function PlanPage() {
  const plan = useQuery(planOptions());
  const { start } = useCommands();
  const may = useMay();
  const [query, setQuery] = useSearchParams();
  const [refused, setRefused] = useState<Problem | null>(null);
  const job = Number(query.get('job') ?? 0);
  async function run(command: 'run-plan' | 'plan-changes') {
    setRefused(null);
    try {
      const started = await startJob(command, {});
      setQuery({ ...Object.fromEntries(query), job: String(started.number) }, { replace: true });
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setRefused(error.problem);
    }
  }
  const last = plan.data?.plan;
  return (
    <main className="@container h-full overflow-hidden">
      <div className="grid h-full grid-cols-1 grid-rows-[auto_minmax(0,2fr)_minmax(0,3fr)] @5xl:grid-cols-[minmax(420px,11fr)_minmax(0,13fr)] @5xl:grid-rows-[auto_1fr]">
        <header className="col-span-full flex flex-wrap items-start justify-between gap-x-6 gap-y-1 border-b border-hair px-4 pt-3 pb-2">
          <div className="min-w-0">
            <h1>Plan</h1>
            <p className="text-quiet">
              {last
                ? `Run ${moment(last.made_at)}${last.person ? ` by ${last.person}` : ''}, up to ${shortDay(last.last_day)}: ${plan.data?.open} of ${last.proposals} proposals open, ${last.late} too late to be in time, ${last.moves} orders to move.`
                : 'Everything that customers want, that is foreseen and that orders need, held against what there is and what comes.'}
            </p>
          </div>
          <div className="flex flex-wrap items-center gap-3">
            {may.has('try-plan') && <Button onClick={() => start('try-plan')}>What if…</Button>}
            {may.has('plan-changes') && last && (
              <Button title="Only what changed since is planned again: the same plan in less time; what you decided stays." onClick={() => void run('plan-changes')}>
                Plan what changed
              </Button>
            )}
            {may.has('run-plan') && (
              <Button look="act" onClick={() => void run('run-plan')}>
                Run the plan
              </Button>
            )}
          </div>
          {refused && <ProblemNote problem={refused} />}
          {job > 0 && <JobProgress number={job} />}
        </header>
        <div className="overflow-y-auto border-hair max-@5xl:border-b @5xl:border-r">
          <Proposals isPlanned={last !== null && last !== undefined} />
        </div>
        <div className="overflow-y-auto">
          <Outlet />
        </div>
      </div>
    </main>
  );
}

function Proposals({ isPlanned }: { isPlanned: boolean }) {
  const [query, setQuery] = useSearchParams();
  const asked = query.get('which');
  const which = LISTS.find((l) => l === asked) ?? 'all';
  const filter = query.get('filter') ?? '';
  const skip = Number(query.get('skip') ?? 0);
  const work_center = query.get('at') ?? '';
  const serves = Math.max(0, Math.trunc(Number(query.get('for') ?? 0)) || 0);
  const centers = useQuery(workCentersOptions()).data ?? [];
  const orders = useQuery(openOrdersOptions()).data?.rows ?? [];
  const proposals = useQuery(proposalsOptions({ which, filter, work_center, serves, skip }));
  const [marked, setMarked] = useState<ReadonlySet<number>>(new Set());
  const set = (more: Record<string, string>) => setQuery({ ...Object.fromEntries(query), skip: '0', ...more }, { replace: true });
  return (
    <section aria-label="Proposals">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-2">
        {LISTS.map((list) => (
          <button key={list} type="button" aria-pressed={list === which} className={list === which ? 'font-semibold' : 'quiet-link cursor-pointer text-act'} onClick={() => set({ which: list })}>
            {words[list]}
          </button>
        ))}
        {isPlanned && (
          <Link className="quiet-link text-act" to={`/plan/purchases?${query}`}>
            by supplier
          </Link>
        )}
        {serves > 0 && (
          <Link className="quiet-link text-act" to={`/sell/${serves}`}>
            customer’s order <span className="code">{serves}</span>
          </Link>
        )}
      </div>
      <div className="flex min-h-8 flex-wrap items-center gap-x-3 gap-y-1 px-4 pb-1">
        <Acts rows={proposals.data?.rows ?? []} marked={marked} onMark={setMarked} />
        <select className="entry ml-auto w-[110px]!" aria-label="For the customer's order" value={serves || ''} onChange={(e) => set({ for: e.target.value })}>
          <option value="">for anybody</option>
          {serves > 0 && !orders.some((o) => o.number === serves) && <option value={serves}>for {serves}</option>}
          {orders.map((o) => (
            <option key={o.number} value={o.number}>
              for {o.number} {o.customer_name}
            </option>
          ))}
        </select>
        <select className="entry w-[110px]!" aria-label="Made at" value={work_center} onChange={(e) => set({ at: e.target.value })}>
          <option value="">anywhere</option>
          {centers.map((c) => (
            <option key={c.code} value={c.code}>
              at {c.name}
            </option>
          ))}
        </select>
        <input className="entry w-[110px]!" aria-label="Filter proposals" placeholder="Type to filter" value={filter} onChange={(e) => set({ filter: e.target.value })} />
      </div>
      <Loaded query={proposals}>
        {(page) =>
          page.rows.length === 0 ? (
            <Empty>
              {isPlanned ? 'Nothing of these is proposed: what there is and what comes covers it.' : 'No plan was run yet. Run it: it proposes what to make and buy, and changes nothing by itself.'}
            </Empty>
          ) : (
            <>
              <Table rows={page.rows} marked={marked} onMark={setMarked} canMark={which !== 'decided'} />
              {page.whole > PAGE && (
                <p className="flex gap-4 px-4 py-2 text-quiet">
                  {skip + 1} to {Math.min(page.whole, skip + PAGE)} of {page.whole}
                  {skip > 0 && (
                    <Button look="link" onClick={() => set({ skip: String(Math.max(0, skip - PAGE)) })}>
                      Before
                    </Button>
                  )}
                  {skip + PAGE < page.whole && (
                    <Button look="link" onClick={() => set({ skip: String(skip + PAGE) })}>
                      Further
                    </Button>
                  )}
                </p>
              )}
            </>
          )
        }
      </Loaded>
    </section>
  );
}

interface Marking {
  rows: Proposal[];
  marked: ReadonlySet<number>;
  onMark: (marked: ReadonlySet<number>) => void;
}

function Acts({ rows, marked, onMark }: Marking) {
  const { start } = useCommands();
  const may = useMay();
  const chosen = rows.filter((r) => marked.has(r.proposal)).map((r) => r.proposal);
  if (!may.has('accept-proposals')) return null;
  const act = (command: string) => start(command, { proposals: chosen });
  return (
    <>
      <Button look="act" disabled={chosen.length === 0} onClick={() => act('accept-proposals')}>
        {chosen.length > 0 ? `Accept ${chosen.length}…` : 'Accept…'}
      </Button>
      <Button disabled={chosen.length === 0} onClick={() => act('decline-proposals')}>
        Decline…
      </Button>
      {chosen.length > 0 && (
        <Button look="link" onClick={() => onMark(new Set())}>
          Mark none
        </Button>
      )}
    </>
  );
}

function Table({ rows, marked, onMark, canMark }: Marking & { canMark: boolean }) {
  const here = useParams()['code'];
  const [query] = useSearchParams();
  const mark = (numbers: number[], isOn: boolean) => {
    const next = new Set(marked);
    for (const n of numbers) if (isOn) next.add(n);
    else next.delete(n);
    onMark(next);
  };
  const all = rows.map((r) => r.proposal);
  return (
    <table className="rows" aria-label="What is proposed">
      <thead>
        <tr>
          <td className="w-8 pl-4!">
            {canMark && <input type="checkbox" aria-label="All of these" checked={all.every((n) => marked.has(n))} onChange={(e) => mark(all, e.target.checked)} />}
          </td>
          <th>Item</th>
          <th className="num">quantity</th>
          <th>order by</th>
          <th>there on</th>
          <th className="num pr-4!">EUR</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={r.proposal} className={r.item === here || marked.has(r.proposal) ? 'bg-act-wash' : ''}>
            <td className="pl-4!">{canMark && <input type="checkbox" aria-label={`Mark ${r.item} ${r.due}`} checked={marked.has(r.proposal)} onChange={(e) => mark([r.proposal], e.target.checked)} />}</td>
            <td className="w-full max-w-0">
              <Link className="block truncate no-underline" to={`/plan/items/${encodeURIComponent(r.item)}?${query}`} title={`${r.name} ${r.item}`}>
                {r.name} <span className="code text-quiet">{r.item}</span>
              </Link>
              <span className="block truncate text-[12px] text-quiet">{r.became || (r.is_made ? 'make' : r.supplier_name ? `buy of ${r.supplier_name}` : <span className="text-attention">buy; nobody is known to sell it</span>)}</span>
            </td>
            <td className="num">
              {quantity(r.quantity)}
              <span className="unit">{r.unit}</span>
            </td>
            <td className="whitespace-nowrap">
              {shortDay(r.order_on)}
              {r.late > 0 && <span className="block text-[12px] text-attention">{r.late} d too late</span>}
            </td>
            <td className="whitespace-nowrap">{shortDay(r.due)}</td>
            <td className="num pr-4!">{r.cost && money(r.cost)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
