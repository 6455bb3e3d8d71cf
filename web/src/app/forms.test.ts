import { describe, expect, it } from 'vitest';
import { values } from '../api/values';
import { benches } from './benches';
import { formOf, sentOf } from '../commands/form';

const form = (name: string) => {
  const found = formOf(name);
  if (!found) throw new Error(`no form of ${name}`);
  return found;
};
const names = benches.flatMap((b) => Object.keys(b.forms ?? {}));
const sources = import.meta.glob<string>('../**/*.{ts,tsx}', { query: '?raw', import: 'default', eager: true });

/** What is wrong with what was typed, by entry: the first thing, as the entry says it. */
function wrong(name: string, typed: Record<string, unknown>): Record<string, string> {
  const parsed = form(name).schema.safeParse(typed);
  return Object.fromEntries(parsed.error?.issues.toReversed().map((i) => [String(i.path[0]), i.message]) ?? []);
}

const plan = { item: 'MA-200', quantity: '4', due: '2026-12-01', supply_place: 'STORE', receipt_place: 'STORE' };

describe('what a form sends', () => {
  it('leaves out what was left empty, and keeps zeros, ticks that are off and empty lists', () => {
    expect(sentOf(form('plan-order'), { ...plan, note: '' })).toEqual(plan);
    expect(sentOf(form('receive'), { order: 7, quantity: '0', complete: false, place: null, grades: [] })).toEqual({ order: 7, quantity: '0', complete: false, grades: [] });
  });

  it('says nothing of a tick that nobody touched, which would change it', () => {
    expect(sentOf(form('change-partner'), { code: 'P', name: '' })).toEqual({ code: 'P' });
  });

  it('takes numbers as they were typed, and order numbers as numbers', () => {
    expect(sentOf(form('plan-order'), { ...plan, quantity: '4.500' })).toMatchObject({ quantity: '4.500' });
    expect(sentOf(form('release-order'), { order: '1047' })).toEqual({ order: 1047 });
    expect(sentOf(form('plan-item'), { code: 'A', lead_time_days: '12' })).toEqual({ code: 'A', lead_time_days: 12 });
  });

  it('drops spaces around words, and none of a password', () => {
    const person = { name: ' ada ', full_name: 'Ada', password: ' a long enough one ', roles: [] };
    expect(sentOf(form('add-person'), person)).toEqual({ ...person, name: 'ada' });
  });

  it('hands on what the page gave beside the entries', () => {
    expect(sentOf(form('import-tables'), { upload: 3 })).toEqual({ upload: 3 });
    expect(sentOf(form('attach-document'), { item: 'A', name: 'a.png', file: 9 })).toMatchObject({ file: 9 });
  });

  it('leaves out rows that nothing was entered in', () => {
    const changes = [{ kind: 'price', code: 'A', to: '3' }, {}];
    expect(sentOf(form('write-what-if'), { name: 'dearer', changes })).toEqual({ name: 'dearer', changes: changes.slice(0, 1) });
  });

  it('goes to the command of its name, or to the one that it is a part of', () => {
    expect([form('plan-item').command, form('form-item').command]).toEqual(['change-item', 'change-item']);
    expect([form('release-order').command, form('report').command]).toEqual(['release-order', 'report']);
  });
});

describe('a form sends nothing', () => {
  it('as long as something that it must have is missing, and says at the entry what', () => {
    expect(wrong('plan-order', plan)).toEqual({});
    for (const name of ['item', 'due']) {
      expect(Object.keys(wrong('plan-order', { ...plan, [name]: '' })), name).toEqual([name]);
      expect(Object.keys(wrong('plan-order', { ...plan, [name]: undefined })), name).toEqual([name]);
      expect(sentOf(form('plan-order'), { ...plan, [name]: '' })).toBeNull();
    }
    const { supply_place: _, ...without } = plan;
    expect(sentOf(form('plan-order'), { ...plan, supply_place: '' })).toEqual(without);
  });

  it.each([
    ['quantity', '4.', 'Enter a number such as 12.5.'],
    ['quantity', '-', 'Enter a number such as 12.5.'],
    ['due', '2026-02-30', 'Choose a day.'],
    ['due', '', 'Choose a day.'],
    ['item', '  ', 'It is needed.'],
  ])('while %s is %j', (name, value, words) => {
    expect(wrong('plan-order', { ...plan, [name]: value })).toEqual({ [name]: words });
  });

  it('for an order that is no number or a choice that there is not', () => {
    expect(wrong('release-order', { order: '12a' })).toEqual({ order: 'Enter a whole number.' });
    expect(wrong('release-order', { order: '' })).toEqual({ order: 'Enter a whole number.' });
    expect(wrong('define-reason', { code: 'A', name: 'A', use: 'fun' })).toEqual({ use: 'Choose one.' });
    expect(wrong('set-roles', { name: 'ada', roles: ['queen'] })).toHaveProperty('roles');
  });
});

describe('every form', () => {
  it('starts with nothing that it does not ask for', () => {
    for (const name of names) {
      for (const begun of Object.keys(form(name).start)) expect(Object.keys(form(name).entries), name).toContain(begun);
    }
  });

  it('offers something where it lets choose, and begins with one of it', () => {
    for (const name of names) {
      for (const [key, entry] of Object.entries(form(name).entries)) {
        if (entry.kind !== 'choice') continue;
        expect(entry.options?.length, `${name} ${key}`).toBeGreaterThan(0);
        const begun = form(name).start[key];
        if (begun !== undefined) expect(entry.options, `${name} ${key}`).toContain(begun);
      }
    }
  });

  it('names its act with what was entered', () => {
    expect(form('plan-order').act(plan)).toBe('Plan 4 of MA-200');
    expect(form('change-phantom').act({ item: 'LEG', is_phantom: true })).toBe('Pass LEG through');
    expect(form('change-phantom').act({ item: 'LEG', is_phantom: false })).toBe('Stock LEG');
    expect(form('close-holidays').act({ holidays: ['a', 'b'] })).toBe('Close 2 holidays');
    expect(form('close-holidays').act({})).toBe('Close 0 holidays');
    for (const name of names) expect(form(name).act({})).not.toMatch(/undefined|null|NaN/);
  });

  it('values an item by each way that there is', () => {
    expect(form('change-valuation').entries['valuation']?.options).toEqual(values.Method);
  });

  it('that a page starts is there', () => {
    const started = Object.entries(sources).flatMap(([path, text]) =>
      path.endsWith('.test.ts') ? [] : [...text.matchAll(/\bstart\('([a-z-]+)'/g)].map((m) => m[1] ?? ''),
    );
    expect(started.length).toBeGreaterThan(20);
    for (const name of new Set(started)) expect(names, name).toContain(name);
  });
});
