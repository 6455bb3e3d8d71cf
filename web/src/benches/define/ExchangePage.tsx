import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { type Upload, uploadOptions } from './queries';
import { JobProgress } from '../../commands/JobProgress';
import { ApiError, type Problem, sendFile, startJob } from '../../api/http';
import { Button } from '../../ui/Button';
import { FileEntry } from '../../ui/FileEntry';
import { ItemCode } from '../../ui/ItemCode';
import { Loaded, ProblemNote } from '../../ui/States';
import { useMay, useReads } from '../../commands/useMay';

const statuses = ['refused', 'changed', 'new', 'same'] as const;

/** Files in and out: what an import would do, row by row, before it does anything. */
export function ExchangePage() {
  const [query, setQuery] = useSearchParams();
  const may = useMay();
  const reads = useReads();
  const [problem, setProblem] = useState<Problem | null>(null);
  const [isReading, setReading] = useState(false);
  const number = Number(query.get('upload') ?? 0);

  async function bring(file: File) {
    setProblem(null);
    setReading(true);
    try {
      const kept = (await sendFile('/api/uploads', file)) as Upload;
      setQuery({ upload: String(kept.upload) });
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setProblem(error.problem);
    } finally {
      setReading(false);
    }
  }

  return (
    <article>
      <header className="px-4 pt-3 pb-2">
        <h1>Import and export</h1>
        <p className="max-w-[80ch] text-quiet">
          Partners, calendars, items with their units, prices and list prices, work centers with their rates, and structures as tables: a zip of CSV files that a data package describes, or an XLSX workbook. What is
          exported can be imported again and changes nothing.
        </p>
        <div className="mt-2 flex flex-wrap items-center gap-4">
          {reads.costs ? (
            <>
              <a className="quiet-link text-act" href="/api/export/csv" download>
                Export as CSV
              </a>
              <a className="quiet-link text-act" href="/api/export/xlsx" download>
                Export as XLSX
              </a>
            </>
          ) : (
            <span className="text-quiet">An export holds prices and rates: it is for those who see costs.</span>
          )}
          {may.has('import-tables') && (
            <FileEntry label="Bring a file" accept=".csv,.zip,.xlsx" onFile={(file) => void bring(file)} />
          )}
          {isReading && <span role="status">Reading the file</span>}
        </div>
      </header>
      {problem && (
        <div className="px-4">
          <ProblemNote problem={problem} />
        </div>
      )}
      {number > 0 && !problem && <Planned number={number} />}
    </article>
  );
}

function Planned({ number }: { number: number }) {
  const upload = useQuery(uploadOptions(number));
  const [query, setQuery] = useSearchParams();
  const [refused, setRefused] = useState<Problem | null>(null);
  const job = Number(query.get('job') ?? 0);
  async function take() {
    try {
      const started = await startJob('import-tables', { upload: number });
      setQuery({ upload: String(number), job: String(started.number) }, { replace: true });
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setRefused(error.problem);
    }
  }
  if (job > 0) return <JobProgress number={job} />;
  if (refused) return <ProblemNote problem={refused} />;
  return (
    <Loaded query={upload}>
      {(u) => (
        <section aria-label={`What ${u.name} would do`}>
          <div className="flex flex-wrap items-center gap-4 px-4 pb-2">
            <h2>{u.name}</h2>
            <p>
              {statuses.map((s) => `${u[s].toLocaleString()} ${s}`).join(' · ')}
              {u.rows.length < u.new + u.changed + u.same + u.refused && (
                <span className="text-quiet"> · the first {u.rows.length.toLocaleString()} shown</span>
              )}
            </p>
            <Button look="act" disabled={u.refused > 0 || u.new + u.changed === 0} onClick={() => void take()}>
              Import {(u.new + u.changed).toLocaleString()} rows
            </Button>
            {u.refused > 0 && <span className="text-attention">A file is taken whole or not at all: correct what is refused.</span>}
          </div>
          <table className="rows" aria-label="Rows of the file">
            <thead>
              <tr>
                <th className="pl-4!">Table</th>
                <th className="num">line</th>
                <th>code</th>
                <th>would be</th>
                <th className="pr-4!">why</th>
              </tr>
            </thead>
            <tbody>
              {u.rows.map((r, n) => (
                <tr key={n}>
                  <td className="pl-4!">{r.table}</td>
                  <td className="num">{r.line || ''}</td>
                  <td>{r.status === 'same' || r.status === 'changed' ? <ItemCode code={r.code} /> : <span className="code">{r.code}</span>}</td>
                  <td className={r.status === 'refused' ? 'text-attention' : ''}>{r.status}</td>
                  <td className="w-full pr-4! text-quiet">{r.why}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
    </Loaded>
  );
}
