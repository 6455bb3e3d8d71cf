/** Decimals travel and stay as text; these show them in the reader's locale without loss. */

type DecimalText = Intl.StringNumericLiteral;

const quantityFormat = new Intl.NumberFormat(undefined, { maximumFractionDigits: 6 });
const moneyFormat = new Intl.NumberFormat(undefined, {
  minimumFractionDigits: 2,
  maximumFractionDigits: 2,
});
const costFormat = new Intl.NumberFormat(undefined, {
  minimumFractionDigits: 2,
  maximumFractionDigits: 6,
});

export function quantity(text: string): string {
  return quantityFormat.format(text as DecimalText).replace('-', '−');
}

export function money(text: string): string {
  if (text === '') return ''; // not for the reader
  return moneyFormat.format(text as DecimalText).replace('-', '−');
}

export function unitCost(text: string): string {
  if (text === '') return '';
  return costFormat.format(text as DecimalText).replace('-', '−');
}

/** Return a variance as amount and side: unfavourable above zero. */
export function variance(text: string): { amount: string; side: 'F' | 'U' | '' } {
  const value = Number(text);
  return { amount: money(text.replace('-', '')), side: value > 0 ? 'U' : value < 0 ? 'F' : '' };
}

/** Return a decimal as an entry shows it: no idle zeros. */
export function plain(text: string): string {
  return text.includes('.') ? text.replace(/\.?0+$/, '') : text;
}

/** Return the sum of decimals, exactly, to be shown: what is sent is added up by the server. */
export function total(texts: string[]): string {
  const places = Math.max(0, ...texts.map((t) => t.split('.')[1]?.length ?? 0));
  const whole = texts.reduce((sum, text) => {
    const [units = '0', part = ''] = text.split('.');
    return sum + BigInt(`${units || '0'}${part.padEnd(places, '0')}`);
  }, 0n);
  const digits = String(whole < 0n ? -whole : whole).padStart(places + 1, '0');
  const at = digits.length - places;
  return `${whole < 0n ? '-' : ''}${plain(places ? `${digits.slice(0, at)}.${digits.slice(at)}` : digits)}`;
}

/** Return a share such as "0.95" as "95 %". */
export function percent(share: string): string {
  return `${quantity(String(Math.round(Number(share) * 1e8) / 1e6))} %`;
}

export function isZero(text: string): boolean {
  return /^-?0*\.?0*$/.test(text);
}

/** Move the decimal point of a text by some places, without going through a float. */
export function shift(text: string, places: number): string {
  const [whole = '0', part = ''] = (text || '0').split('.');
  if (places > 0) {
    const digits = part.padEnd(places, '0');
    return plain(`${whole}${digits.slice(0, places)}.${digits.slice(places) || '0'}`.replace(/^0+(?=\d)/, ''));
  }
  const digits = whole.padStart(1 - places, '0');
  return plain(`${digits.slice(0, places)}.${digits.slice(places)}${part}`);
}

/** Whether a text is a number above 0, as the server reads it. */
export const isQuantity = (text: string): boolean => /^\d{1,9}(\.\d{1,6})?$/.test(text) && !/^0*\.?0*$/.test(text);
