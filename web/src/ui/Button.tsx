import type { ComponentProps } from 'react';

type Look = 'act' | 'plain' | 'link';

const looks: Record<Look, string> = {
  act: 'bg-act text-act-ink px-3 h-7 max-md:h-11 font-semibold disabled:bg-hair disabled:text-quiet',
  plain:
    'border border-hair-strong px-2.5 h-7 max-md:h-11 text-act hover:bg-act-wash disabled:text-quiet disabled:hover:bg-transparent',
  link: 'quiet-link text-act max-md:min-h-11',
};

/** A button; `shortcut` is shown beside the words. */
export function Button({
  look = 'plain',
  shortcut,
  className = '',
  children,
  ...rest
}: ComponentProps<'button'> & { look?: Look; shortcut?: string }) {
  return (
    <button
      type="button"
      {...rest}
      {...(shortcut ? { 'aria-keyshortcuts': shortcut.replaceAll('-', '+') } : {})}
      className={`rounded-[3px] whitespace-nowrap enabled:cursor-pointer ${looks[look]} ${className}`}
    >
      {children}
      {shortcut && (
        <span aria-hidden className="ml-1.5 text-[11px] font-normal">
          {shortcut}
        </span>
      )}
    </button>
  );
}
