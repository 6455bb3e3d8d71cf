import { describe, expect, it } from 'vitest';
import { hours, share } from './logic';

describe('a load', () => {
  it('is told in hours to a tenth', () => {
    expect(['6.2632', '0.0000', '40', '1234.56'].map(hours)).toEqual(['6.3', '0', '40', '1,234.6']);
  });

  it('is a share of what can be done, where anything can', () => {
    expect([share(20, '40'), share(92, '100'), share(50, '40.0'), share(3, '0')]).toEqual(['50 %', '92 %', '125 %', '']);
  });
});
