import type { ChangeEvent } from 'react';

/** An entry for one file; it is handed over as soon as it is chosen, and can be chosen again. */
export function FileEntry({ label, accept, onFile }: { label: string; accept: string; onFile: (file: File) => void }) {
  function choose(event: ChangeEvent<HTMLInputElement>) {
    const file = event.target.files?.[0];
    event.target.value = '';
    if (file) onFile(file);
  }
  return (
    <label className="flex items-center gap-2">
      {label}
      <input
        type="file"
        accept={accept}
        onChange={choose}
        className="w-[112px] text-[13px] text-transparent file:h-7 file:cursor-pointer file:rounded-[3px] file:border file:border-solid file:border-hair-strong file:bg-transparent file:px-2.5 file:text-act"
      />
    </label>
  );
}
