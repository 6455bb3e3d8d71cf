import { describe, expect, it } from 'vitest';
import { values } from '../api/values';
import { commandOf, forms, isComplete, sent } from './forms';

const spec = (name: string) => {
  const found = forms[name];
  if (!found) throw new Error(`no form of ${name}`);
  return found;
};

describe('what a form sends', () => {
  it('leaves out what was left empty, and keeps zeros, ticks that are off and empty lists', () => {
    const given = { item: 'A', note: '', reason: undefined, quantity: '0', complete: false, layers: [], is_phantom: null };
    expect(sent(given)).toEqual({ item: 'A', quantity: '0', complete: false, layers: [], is_phantom: null });
  });

  it('goes to the command of its name, or to the one that it is a part of', () => {
    expect(commandOf('plan-item')).toBe('change-item');
    expect(commandOf('form-item')).toBe('change-item');
    expect(commandOf('release-order')).toBe('release-order');
    expect(commandOf('report')).toBe('report');
  });
});

describe('a form is complete', () => {
  it('when all that it must have is there', () => {
    const given = { item: 'MA-200', quantity: '4', due: '2026-12-01', supply_place: 'STORE', receipt_place: 'STORE' };
    expect(isComplete('plan-order', given)).toBe(true);
    for (const name of Object.keys(given)) {
      expect(isComplete('plan-order', { ...given, [name]: '' }), name).toBe(false);
      expect(isComplete('plan-order', { ...given, [name]: undefined }), name).toBe(false);
    }
  });

  it('without its ticks and its roles, which are off where nothing is said', () => {
    expect(isComplete('define-partner', { code: 'P', name: 'Partner' })).toBe(true);
    expect(isComplete('set-roles', { name: 'ada' })).toBe(true);
  });

  it('by its lines, its operation or its report, where it is no plain list of entries', () => {
    expect(isComplete('report', {})).toBe(false);
    expect(isComplete('report', { operation: 10 })).toBe(true);
    expect(isComplete('correct-report', { operation: 10 })).toBe(false);
    expect(isComplete('correct-report', { report: 7 })).toBe(true);
    expect(isComplete('issue', { order: 1 })).toBe(false);
    expect(isComplete('issue', { order: 1, lines: [] })).toBe(false);
    expect(isComplete('issue', { order: 1, lines: [{ item: 'A' }] })).toBe(true);
  });
});

describe('every form', () => {
  it('asks for each thing once, and starts with nothing that it does not ask for or fill by rows', () => {
    for (const name of Object.keys(forms)) {
      const { fields, start = {} } = spec(name);
      const names = fields.map((f) => f.name);
      expect(new Set(names).size, name).toBe(names.length);
      for (const begun of Object.keys(start)) expect(names, name).toContain(begun);
    }
  });

  it('offers something where it lets choose, and begins with one of it', () => {
    for (const name of Object.keys(forms)) {
      const { fields, start = {} } = spec(name);
      for (const f of fields.filter((x) => x.kind === 'choice')) {
        expect(f.options?.length, `${name} ${f.name}`).toBeGreaterThan(0);
        const begun = (start as Record<string, unknown>)[f.name];
        if (begun !== undefined) expect(f.options, `${name} ${f.name}`).toContain(begun);
      }
    }
  });

  it('names its act with what was entered', () => {
    expect(spec('plan-order').act({ item: 'MA-200', quantity: '4' })).toBe('Plan 4 of MA-200');
    expect(spec('change-phantom').act({ item: 'LEG', is_phantom: true })).toBe('Pass LEG through');
    expect(spec('change-phantom').act({ item: 'LEG', is_phantom: false })).toBe('Stock LEG');
    expect(spec('close-holidays').act({ holidays: ['a', 'b'] })).toBe('Close 2 holidays');
    expect(spec('close-holidays').act({})).toBe('Close 0 holidays');
    for (const name of Object.keys(forms)) expect(spec(name).act({})).not.toMatch(/undefined|null|NaN/);
  });

  it('values an item by each way that there is', () => {
    const valuation = spec('change-valuation').fields.find((f) => f.name === 'valuation');
    expect(valuation?.options).toEqual(values.Method);
  });
});
