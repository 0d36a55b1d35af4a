/** Cost files in pieces: cut, sent on where it stopped, several as one export, and what waits for a person. */
import { screen, waitFor } from '@testing-library/react';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { api } from '../shared/api';
import { formatCount } from '../shared/decimal';
import { drawn, press } from '../shared/drawn.testing';
import {
  digestOf,
  refusedFilesOptions,
  sendInPieces,
  type Upload,
  uploadsOptions,
  uploadWords,
} from './uploads';
import { WaitingFiles } from './WaitingFiles';

const FEED = { path: 'tarnwick/cumulant', name: 'Cumulant', senders: [] };
const UPLOAD: Upload = {
  ...{
    id: 'u-1',
    feed: FEED.path,
    name: 'a.csv',
    size: 5,
    piece_bytes: 2,
    pieces: 3,
    missing: [],
    part: 1,
    parts: 1,
  },
  ...{ exported_at: '2026-10-01T00:00:00Z', state: 'sending', problem: null, confirmable: false, rows: 0 },
  ...{ begun_by: null, begun_at: '2026-10-01T00:00:00Z', delivery_id: null, task: null },
};
const HALF = { state: 'refused', problem: 'had 9 rows; confirm that', confirmable: true };
type Known = [readonly unknown[], unknown];
const answer = (data: unknown) => ({ data, response: new Response() }) as never;

beforeEach(() => {
  vi.restoreAllMocks();
});

describe('a file in pieces', () => {
  it('is known by the SHA-256 of its bytes', async () => {
    const told = 'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad';
    expect(await digestOf(new File(['abc'], 'a.csv'))).toBe(told);
  });

  it('is sent on where it stopped, and tells how far it is', async () => {
    const post = vi.spyOn(api, 'POST').mockResolvedValue(answer({ ...UPLOAD, missing: [1, 2] }));
    const put = vi.spyOn(api, 'PUT').mockResolvedValue(answer(UPLOAD));
    const shares: number[] = [];
    await sendInPieces(FEED.path, [new File(['abcde'], 'a.csv')], (share) => shares.push(share));
    expect(post.mock.calls[0]?.[1]).toMatchObject({
      body: { size: 5, part: 1, parts: 1, exported_at: null },
    });
    const sent = (put.mock.calls as unknown[][]).map((call) => call[1] as { params: unknown; body: unknown });
    expect(sent.map((each) => each.body)).toEqual([{ content: btoa('cd') }, { content: btoa('e') }]);
    expect(sent[0]?.params).toEqual({ path: { upload: 'u-1', number: 1 } });
    expect(shares).toEqual([0.8, 1]);
  });

  it('is one of several of an export, which is named by when the last was written', async () => {
    const post = vi.spyOn(api, 'POST').mockResolvedValue(answer(UPLOAD));
    const written = (name: string, at: number) => new File(['x'], name, { lastModified: at });
    await sendInPieces(FEED.path, [written('a.csv', 1000), written('b.csv', 3000)], () => undefined);
    const sent = (post.mock.calls as unknown[][]).map((call) => (call[1] as { body: object }).body);
    const exported_at = new Date(3000).toISOString();
    expect(sent).toMatchObject([
      { name: 'a.csv', part: 1, parts: 2, exported_at },
      { name: 'b.csv', part: 2, parts: 2, exported_at },
    ]);
  });

  it('says how far it is in words', () => {
    expect(uploadWords({ ...UPLOAD, missing: [2] })).toContain('2 of 3 pieces have come');
    expect(uploadWords({ ...UPLOAD, state: 'reading', rows: 50000 })).toContain(
      `${formatCount(50000)} rows so far`,
    );
    expect(uploadWords({ ...UPLOAD, state: 'waiting', part: 2, parts: 3 })).toMatch(
      /^File 2 of 3 of the export of 2026-10-01 00:00\. Read;/,
    );
    expect(uploadWords({ ...UPLOAD, ...HALF })).toBe('had 9 rows; confirm that');
  });
});

describe('what waits for a person', () => {
  const known = (upload: Partial<Upload>, file = {}) => [
    [uploadsOptions(FEED.path).queryKey, [{ ...UPLOAD, ...upload }]] as Known,
    [
      refusedFilesOptions(FEED.path).queryKey,
      { items: Object.keys(file).length ? [file] : [], next: null },
    ] as Known,
  ];

  it('is taken as it is by those who may send', async () => {
    const post = vi.spyOn(api, 'POST').mockResolvedValue(answer(UPLOAD));
    drawn(<WaitingFiles feed={FEED} sends manages />, known(HALF));
    await press('Take it as it is');
    await waitFor(() => expect(post).toHaveBeenCalled());
    expect(post.mock.calls[0]).toEqual([
      '/api/v1/uploads/{upload}/confirm',
      { params: { path: { upload: 'u-1' } } },
    ]);
  });

  it('is given up, but not while it is read', () => {
    drawn(<WaitingFiles feed={FEED} sends manages />, known({ state: 'reading' }));
    expect(screen.queryByRole('button')).toBeNull();
  });

  it('is offered of fetched files to those alone who manage the feed', () => {
    const file = { name: 'c.csv', problem: 'had 9 rows', confirmable: true, confirmed: false };
    drawn(<WaitingFiles feed={FEED} sends={false} manages={false} />, known({}, file));
    expect(screen.getByText(/had 9 rows/)).toBeTruthy();
    expect(screen.queryByRole('button')).toBeNull();
  });
});
