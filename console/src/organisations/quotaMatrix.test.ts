/** Limits typed over: what that changes and leaves, and the same as a spreadsheet. */
import { describe, expect, it } from 'vitest';
import {
  type MatrixMeasure,
  type MatrixRow,
  changesOf,
  leftWith,
  readSheet,
  writeSheet,
  wrongWith,
} from './quotaMatrix';

const cell = (measure: string, limit: string | null, given = true) => ({
  measure,
  limit,
  given,
  passed_on: '0',
  version: 3,
});
const ROWS: MatrixRow[] = [
  {
    organisation: 'saltmarsh',
    name: '=Saltmarsh',
    type: 'tenant',
    cells: [cell('processors', '60'), cell('memory', null)],
  },
  {
    organisation: 'thistledown',
    name: 'Thistledown, "Clinic"',
    type: 'tenant',
    cells: [cell('processors', '0', false), cell('memory', '0.5')],
  },
];
const MEASURES: MatrixMeasure[] = [
  { measure: 'processors', unit: 'vCPU', kind: 'stock', limit: '100', left: '40' },
  { measure: 'memory', unit: 'GiB', kind: 'stock', limit: null, left: null },
];
const [PROCESSORS, MEMORY] = MEASURES as [MatrixMeasure, MatrixMeasure];

describe('limits that are typed over', () => {
  it('are changes where they differ from what is there', () => {
    const typed = { 'saltmarsh|processors': '60', 'saltmarsh|memory': '8', 'thistledown|processors': '30' };
    expect(changesOf(ROWS, typed).map((each) => [each.key, each.typed])).toEqual([
      ['saltmarsh|memory', '8'],
      ['thistledown|processors', '30'],
    ]);
  });

  it('leave what the giver has less what is more, and more what is less', () => {
    expect(leftWith(PROCESSORS, ROWS, {})).toBe('40');
    expect(leftWith(PROCESSORS, ROWS, { 'thistledown|processors': '50' })).toBe('-10');
    expect(
      leftWith(PROCESSORS, ROWS, { 'saltmarsh|processors': '10.5', 'thistledown|processors': '50' }),
    ).toBe('39.5');
    expect(leftWith(PROCESSORS, ROWS, { 'saltmarsh|processors': 'none' })).toBeNull();
    expect(leftWith(MEMORY, ROWS, { 'saltmarsh|memory': '9' })).toBeNull();
  });

  it.each([
    ['12', true],
    ['none', true],
    ['0.123456', true],
    ['0.1234567', false],
    ['-1', false],
    ['1e3', false],
    ['', false],
    ['1,5', false],
  ])('%s', (text, fine) => {
    expect(wrongWith(text) === undefined).toBe(fine);
  });
});

describe('a spreadsheet of limits', () => {
  it('has no formula in it, and brings back what was given', () => {
    const sheet = writeSheet(MEASURES, ROWS);
    expect(sheet).toContain("'=Saltmarsh");
    expect(readSheet(sheet, MEASURES, ROWS)).toEqual({
      'saltmarsh|processors': '60',
      'saltmarsh|memory': 'none',
      'thistledown|memory': '0.5',
    });
  });

  it.each([
    ['name\nx', 'Line 1'],
    ['organisation,beds\nsaltmarsh,1', 'beds is no measure'],
    ['organisation,processors\nnobody,1', 'Line 2: nobody is no customer'],
    ['organisation,processors\nsaltmarsh,1\nsaltmarsh,=1+1', 'Line 3, processors: =1+1 is no limit'],
  ])('says what is wrong with %j', (sheet, said) => {
    expect(() => readSheet(sheet, MEASURES, ROWS)).toThrow(said);
  });
});
