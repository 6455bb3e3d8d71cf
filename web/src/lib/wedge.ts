/** A scanner that types: what it reads arrives as keys, ended by Enter. The simulated one speaks from another window. */

const CHANNEL = 'scanner';
/** tells this window from the others */
const here = crypto.randomUUID();

interface Read {
  code: string;
  from: string;
}

/** Have a code typed in the application's other windows, as a scanner would. */
export function scanElsewhere(code: string) {
  const channel = new BroadcastChannel(CHANNEL);
  channel.postMessage({ code, from: here } satisfies Read);
  channel.close();
}

/** Type what the simulated scanner reads into the entry that has the focus, or into the page's scan entry. */
export function listenToScanner(): () => void {
  const channel = new BroadcastChannel(CHANNEL);
  channel.addEventListener('message', ({ data }: MessageEvent<Read>) => {
    if (data.from !== here) typeIn(data.code);
  });
  return () => channel.close();
}

function typeIn(code: string) {
  const at = document.activeElement;
  const entry = at instanceof HTMLInputElement ? at : document.querySelector<HTMLInputElement>('input[data-scan]');
  if (!entry) return;
  entry.focus();
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')?.set;
  for (let n = 1; n <= code.length; n++) {
    set?.call(entry, code.slice(0, n));
    entry.dispatchEvent(new Event('input', { bubbles: true }));
  }
  entry.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true, cancelable: true }));
}
