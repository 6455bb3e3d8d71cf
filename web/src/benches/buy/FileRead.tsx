import { useState } from 'react';
import { ApiError, sendFile } from '../../api/http';
import { FileEntry } from '../../ui/FileEntry';

/** A file that is read by the server, and what it could not take of it. */
export function useFileRead<T>(path: string, onRead: (read: T) => string[]) {
  const [faults, setFaults] = useState<string[]>([]);
  async function take(file: File) {
    try {
      setFaults(onRead((await sendFile(path, file)) as T));
    } catch (error) {
      setFaults([error instanceof ApiError ? `${error.problem.title} ${error.problem.detail} ${error.problem.fix}` : 'The file could not be sent.']);
    }
  }
  return { faults, take };
}

/** Where a UBL file is chosen, with what was wrong with it. */
export function UblEntry({ label, faults, take }: { label: string; faults: string[]; take: (file: File) => Promise<void> }) {
  return (
    <>
      <FileEntry label={label} accept=".xml,text/xml,application/xml" onFile={(file) => void take(file)} />
      {faults.length > 0 && (
        <ul role="alert" className="border-l-4 border-attention bg-attention-wash px-2 py-0.5">
          {faults.map((f) => (
            <li key={f}>{f}</li>
          ))}
        </ul>
      )}
    </>
  );
}
