import { describe, expect, it } from 'vitest';
import { isOpen, madeOf, type Task } from './tasks';

const task = (more: Partial<Task>): Task => ({
  id: 'a',
  organisation: 'tarnwick',
  kind: 'issue',
  subject: '3 drafts of tarnwick',
  state: 'waiting',
  problem: null,
  made: 0,
  total: null,
  counted: '',
  attempts: 0,
  not_before: '2026-10-05T00:00:00Z',
  asked_by: null,
  asked_at: '2026-10-05T00:00:00Z',
  finished_at: null,
  steps: [],
  ...more,
});

describe('a task', () => {
  it('says how far it is where that is counted', () => {
    expect(madeOf(task({ made: 2, total: 3, counted: 'drafts' }))).toBe('2 of 3 drafts');
    expect(madeOf(task({}))).toBe('');
  });

  it('is looked at again while it waits or runs, and not after', () => {
    expect(
      ['waiting', 'running', 'needs a hand', 'done', 'undone'].map((state) => isOpen(task({ state }))),
    ).toEqual([true, true, false, false, false]);
  });
});
