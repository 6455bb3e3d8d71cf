import type { ChangeEvent, ReactNode } from 'react';

/** An entry for one file; it is handed over as soon as it is chosen, and can be chosen again. */
export function FileEntry({ label, accept, onFile }: { label: string; accept: string; onFile: (file: File) => void }) {
  return (
    <label className="flex items-center gap-2">
      {label}
      <input
        type="file"
        accept={accept}
        onChange={(e) => handOver(e, onFile)}
        className="w-[112px] text-[13px] text-transparent file:h-7 file:cursor-pointer file:rounded-[3px] file:border file:border-solid file:border-hair-strong file:bg-transparent file:px-2.5 file:text-act"
      />
    </label>
  );
}

/** The same as words in a line, like a link. */
export function FileLink({ children, label, accept, onFile }: { children: ReactNode; label?: string; accept: string; onFile: (file: File) => void }) {
  return (
    <label className="quiet-link cursor-pointer text-act focus-within:underline">
      {children}
      <input type="file" className="sr-only" aria-label={label} accept={accept} onChange={(e) => handOver(e, onFile)} />
    </label>
  );
}

function handOver(event: ChangeEvent<HTMLInputElement>, onFile: (file: File) => void) {
  const file = event.target.files?.[0];
  event.target.value = ''; // so that it can be chosen again
  if (file) onFile(file);
}
