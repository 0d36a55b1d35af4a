import { describe, expect, it } from 'vitest';
import { readFile } from './readingFiles';

const HEAD = 'id,owner,meter,quantity,unit,start,end,attribute.size\n';

describe('a file of readings', () => {
  it('becomes events, with attributes apart and empty fields left out', () => {
    const [first, second] = readFile(
      'a.csv',
      `\uFEFF${HEAD}1,a/b,compute/vcpu,4.50,vCPU,s,e,large\r\n"2","quoted ""x"", y",m,1,u,s,e,\r\n`,
    );
    expect(first).toMatchObject({ id: '1', source: '/files/a.csv', type: 'gradumen.reading.v1' });
    expect(first?.data).toMatchObject({ owner: 'a/b', quantity: '4.50', attributes: { size: 'large' } });
    expect(second?.data).toEqual({
      owner: 'quoted "x", y',
      meter: 'm',
      quantity: '1',
      unit: 'u',
      start: 's',
      end: 'e',
    });
  });

  it('is refused with the line, before anything is sent', () => {
    expect(() => readFile('a.csv', 'owner\nx\n')).toThrow('a column id is missing');
    expect(() => readFile('a.csv', 'id,colour\n1,red\n')).toThrow('unknown columns colour');
    expect(() => readFile('a.csv', `${HEAD}1,a/b\n`)).toThrow('line 2: 2 fields where the head has 8');
    expect(() => readFile('a.csv', `${HEAD}1,a/b,m,1,u,s,e,"large\n`)).toThrow(
      'line 2: Quoted field unterminated',
    );
    const lines = 'id,owner,sequence\n1,"a\nb",1\n\n2,a,first\n';
    expect(() => readFile('a.csv', lines)).toThrow("line 5: sequence 'first' is not a whole number");
    expect(readFile('a.csv', HEAD)).toEqual([]);
    expect(() => readFile('a.jsonl', '{"id": "1"}\n[1]\n')).toThrow('line 2: a line is a JSON object');
    expect(() => readFile('a.xls', '')).toThrow('ends in .csv');
  });

  it('keeps all that stands in a field: an empty first one, quotes and lines within it', () => {
    const [first] = readFile('a.csv', 'owner,id,resource\n,1,"a,\n""b"""\n');
    expect(first?.data).toEqual({ resource: 'a,\n"b"' });
    expect(first?.id).toBe('1');
  });

  it('loses no digit of a number', () => {
    const [one] = readFile('a.jsonl', '{"id": 1, "quantity": 1.10000000000000000001, "sequence": 7}');
    expect(one?.data).toEqual({ quantity: '1.10000000000000000001', sequence: 7 });
  });

  it('keeps events of JSON Lines as they are, and makes events of the others', () => {
    const whole = {
      specversion: '1.0',
      type: 'gradumen.reading.v1',
      source: 's',
      id: '1',
      data: { quantity: '1' },
    };
    const [one, other] = readFile('a.jsonl', `${JSON.stringify(whole)}\n\n{"id": 2, "quantity": "1.10"}\n`);
    expect(one).toEqual(whole);
    expect(other).toMatchObject({ id: '2', source: '/files/a.jsonl', data: { quantity: '1.10' } });
  });
});
