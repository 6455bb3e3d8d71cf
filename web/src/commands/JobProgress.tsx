import { useMutation, useQuery } from '@tanstack/react-query';
import { jobOptions, type Job } from '../api/queries';
import { ConsequencesTable } from '../consequences/ConsequencesTable';
import { api, data } from '../api/http';
import { Button } from '../ui/Button';
import { Loaded, ProblemNote } from '../ui/States';

const words: Record<string, string> = {
  waiting: 'waits for the worker',
  running: 'runs',
  done: 'done',
  refused: 'refused',
  stopped: 'stopped; nothing of it was posted',
  failed: 'failed; nothing of it was posted',
  lost: 'lost: its worker gave no sign for a minute; nothing of it was posted',
};

/** A command in the background: how far it has come, what it did, and the way to stop it. */
export function JobProgress({ number }: { number: number }) {
  const job = useQuery(jobOptions(number));
  return <Loaded query={job}>{(j) => <Shown job={j} />}</Loaded>;
}

function Shown({ job }: { job: Job }) {
  const stop = useMutation({
    mutationFn: () => data(api.POST('/api/jobs/{number}/stop', { params: { path: { number: job.number } } })),
  });
  const isOpen = job.state === 'waiting' || job.state === 'running';
  const share = job.state === 'done' ? 1 : job.total > 0 ? job.done / job.total : 0;
  return (
    <section aria-label={`${job.title}, job ${job.number}`} className="space-y-2 px-4 py-2">
      <p className="flex items-baseline gap-3">
        <strong>{job.title}</strong>
        <span role="status">
          {words[job.state] ?? job.state}
          {job.state === 'running' && job.words && `: ${job.words}`}
          {job.state === 'running' && job.total > 0 && ` ${job.done.toLocaleString()} of ${job.total.toLocaleString()}`}
        </span>
        {isOpen && (
          <Button look="link" disabled={stop.isPending} onClick={() => stop.mutate()}>
            Stop it
          </Button>
        )}
      </p>
      {isOpen && (
        <div
          role="progressbar"
          aria-label={job.title}
          aria-valuenow={Math.round(share * 100)}
          aria-valuemin={0}
          aria-valuemax={100}
          className="h-1.5 max-w-[520px] border border-hair-strong"
        >
          <div className="h-full bg-act" style={{ width: `${share * 100}%` }} />
        </div>
      )}
      {job.problem && <ProblemNote problem={job.problem} />}
      {job.outcome && (
        <div className="max-w-[520px]">
          <ConsequencesTable of={job.outcome.consequences} />
        </div>
      )}
    </section>
  );
}
