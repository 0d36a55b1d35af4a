/** Cost files that come in pieces: sent from where it stopped, and what is on its way or needs a person. */
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import { queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';
import { momentName } from '../shared/dates';
import { formatCount } from '../shared/decimal';

export type Upload = Schemas['UploadBody'];
export type PulledFile = Schemas['PullFileBody'];

/** Bytes of a file that comes by one call; a larger one comes in pieces. */
export const AT_ONCE = 1 << 18;
const STEP = 4 << 20;

export const uploadsOptions = (feed: string) =>
  queryOptions({
    queryKey: ['uploads', feed],
    queryFn: async () => body(await api.GET('/api/v1/uploads', { params: { query: { feed } } })).items,
    refetchInterval: ({ state }) => (state.data?.some(isMoving) ? 1500 : false),
  });

export const refusedFilesOptions = (feed: string) =>
  queryOptions({
    queryKey: ['refused files', feed],
    queryFn: async () =>
      body(
        await api.GET('/api/v1/feeds/pull/files', { params: { query: { feed, refused: true, limit: 100 } } }),
      ),
    refetchInterval: ({ state }) => (state.data?.items.some((each) => each.confirmed) ? 1500 : false),
  });

export const isMoving = (upload: Upload) => upload.state === 'reading';

/** How far a file is, in words. */
export function uploadWords(upload: Upload): string {
  const named = upload.exported_at ? ` of the export of ${momentName(upload.exported_at)}` : '';
  const part = upload.parts > 1 ? `File ${upload.part} of ${upload.parts}${named}. ` : '';
  switch (upload.state) {
    case 'sending': {
      const there = upload.pieces - upload.missing.length;
      return `${part}${there} of ${upload.pieces} pieces have come; choose it again to send the rest.`;
    }
    case 'reading':
      return `${part}Being read: ${formatCount(upload.rows)} rows so far.`;
    case 'waiting':
      return `${part}Read; it counts once the other files of its export have come.`;
    default:
      return `${part}${upload.problem ?? ''}`;
  }
}

/** The SHA-256 of a file, read piece by piece. */
export async function digestOf(file: Blob): Promise<string> {
  const hash = sha256.create();
  for (let at = 0; at < file.size; at += STEP)
    hash.update(new Uint8Array(await file.slice(at, at + STEP).arrayBuffer()));
  return bytesToHex(hash.digest());
}

const base64 = (piece: Blob) =>
  new Promise<string>((done, failed) => {
    const reader = new FileReader();
    reader.onerror = () => failed(new Error('the file cannot be read; choose it again'));
    reader.onload = () => done(String(reader.result).replace(/^.*?,/, ''));
    reader.readAsDataURL(piece);
  });

/** When files of one export were written, as far as they say: the last of them. */
export const exportedAt = (files: File[]) =>
  new Date(Math.max(...files.map((each) => each.lastModified))).toISOString();

/**
 * Send files in pieces, those of several as one export; what came before is not sent again.
 *
 * `tell` is called with the share that is sent, from 0 to 1.
 */
export async function sendInPieces(
  feed: string,
  files: File[],
  tell: (share: number) => void,
): Promise<void> {
  const total = files.reduce((sum, each) => sum + each.size, 0);
  let before = 0;
  for (const [place, file] of files.entries()) {
    let upload = body(
      await api.POST('/api/v1/uploads', {
        params: { query: { feed } },
        body: {
          name: file.name,
          size: file.size,
          sha256: await digestOf(file),
          exported_at: files.length > 1 ? exportedAt(files) : null,
          part: place + 1,
          parts: files.length,
          confirmed: false,
        },
      }),
    );
    for (const number of upload.missing) {
      const at = number * upload.piece_bytes;
      const content = await base64(file.slice(at, at + upload.piece_bytes));
      upload = body(
        await api.PUT('/api/v1/uploads/{upload}/pieces/{number}', {
          params: { path: { upload: upload.id, number } },
          body: { content },
        }),
      );
      tell((before + Math.min(at + upload.piece_bytes, file.size)) / total);
    }
    before += file.size;
  }
}
