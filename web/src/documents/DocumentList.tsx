import { useState } from 'react';
import { ApiError, type Problem, sendFile } from '../api/http';
import type { components } from '../api/schema';
import { shortDay } from '../lib/date';
import { Button } from '../ui/Button';
import { FileEntry } from '../ui/FileEntry';
import { ProblemNote } from '../ui/States';

type Document = components['schemas']['DocumentOut'];

interface Props<D extends Document> {
  documents: readonly D[] | undefined;
  pathOf: (name: string) => string;
  /** said before a name */
  before?: (document: D) => string;
  /** null: may not */
  onAttach: ((kept: { file: number; name: string }) => void) | null;
  onDetach: ((name: string) => void) | null;
}

/** Drawings and pictures of a thing: each opens beside, and more can be brought. */
export function DocumentList<D extends Document>({ documents, pathOf, before, onAttach, onDetach }: Props<D>) {
  const [refused, setRefused] = useState<Problem | null>(null);
  async function bring(file: File) {
    setRefused(null);
    try {
      const kept = (await sendFile('/api/files', file)) as { file: number; name: string };
      onAttach?.({ file: kept.file, name: kept.name });
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      setRefused(error.problem);
    }
  }
  return (
    <>
      {documents?.map((d) => (
        <p key={d.name} className="flex h-[28px] items-center gap-3 border-b border-hair">
          {before && <span className="text-quiet empty:hidden">{before(d)}</span>}
          <a className="quiet-link min-w-0 truncate" href={pathOf(d.name)} target="_blank" rel="noreferrer">
            {d.name}
          </a>
          <span className="truncate text-[12px] text-quiet">
            {d.media_type.split('/')[1]} {d.person && `by ${d.person}`} {shortDay(d.brought_at.slice(0, 10))}
          </span>
          {onDetach && (
            <Button look="link" className="ml-auto" onClick={() => onDetach(d.name)}>
              Detach…
            </Button>
          )}
        </p>
      ))}
      {documents?.length === 0 && <p className="py-1 text-quiet">none</p>}
      {onAttach && (
        <div className="py-1">
          <FileEntry label="Bring a drawing or picture" accept="image/*,application/pdf" onFile={(f) => void bring(f)} />
        </div>
      )}
      {refused && <ProblemNote problem={refused} />}
    </>
  );
}
