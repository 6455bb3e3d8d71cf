const dayFormat = new Intl.DateTimeFormat(undefined, {
  weekday: 'short',
  day: 'numeric',
  month: 'short',
});
const shortFormat = new Intl.DateTimeFormat(undefined, { day: 'numeric', month: 'short' });
let momentFormat = momentsIn('UTC');
let spanFormat = spansIn('UTC');

function momentsIn(timeZone: string) {
  return new Intl.DateTimeFormat(undefined, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', timeZone });
}

function spansIn(timeZone: string) {
  return new Intl.DateTimeFormat(undefined, { weekday: 'short', day: 'numeric', month: 'short', timeZone });
}

/** Show moments as the works' clocks do, wherever the browser stands. */
export function setZone(zone: string) {
  momentFormat = momentsIn(zone);
  spanFormat = spansIn(zone);
}

/** Return a date such as "2026-11-26" as "Thu 26 Nov". */
export function day(text: string): string {
  const [year = 0, month = 1, date = 1] = text.split('-').map(Number);
  return dayFormat.format(new Date(year, month - 1, date));
}

/** Return a date without its weekday, for narrow columns: "26 Nov". */
export function shortDay(text: string): string {
  const [year = 0, month = 1, date = 1] = text.split('-').map(Number);
  return shortFormat.format(new Date(year, month - 1, date));
}

export function moment(text: string): string {
  return momentFormat.format(new Date(text));
}

/** Return two moments as days: "Wed 25 Nov", "Wed 25 – Fri 27 Nov". */
export function span(from: string, to: string): string {
  return spanFormat.formatRange(new Date(from), new Date(to));
}
