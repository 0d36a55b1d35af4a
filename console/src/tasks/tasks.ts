/** Long work that the service does: seen, followed, tried again. */
import { infiniteQueryOptions, queryOptions } from '@tanstack/react-query';
import { api, body, type Schemas } from '../shared/api';

export type Task = Schemas['TaskBody'];

export const STATES = ['open', 'waiting', 'running', 'needs a hand', 'done', 'undone'] as const;
const ENDED = ['done', 'needs a hand', 'undone'];

export const isOpen = (task: Task): boolean => task.state === 'waiting' || task.state === 'running';

/** How far it is, in words; nothing where that is not counted. */
export const madeOf = (task: Task): string =>
  task.total ? `${String(task.made)} of ${String(task.total)} ${task.counted}` : '';

export const tasksOptions = (organisation: string, state: string) =>
  infiniteQueryOptions({
    queryKey: ['tasks', organisation, state],
    queryFn: async ({ pageParam }: { pageParam: string | null }) =>
      body(
        await api.GET('/api/v1/organisations/{organisation}/tasks', {
          params: { path: { organisation }, query: { state: state || null, after: pageParam, limit: 50 } },
        }),
      ),
    initialPageParam: null as string | null,
    getNextPageParam: (page) => page.next,
    refetchInterval: (query) =>
      query.state.data?.pages.some((page) => page.items.some(isOpen)) ? 1000 : 10_000,
  });

export const taskOptions = (id: string) =>
  queryOptions({
    queryKey: ['task', id],
    queryFn: async () =>
      body(await api.GET('/api/v1/tasks/{task_id}', { params: { path: { task_id: id } } })),
    refetchInterval: (query) => (query.state.data && isOpen(query.state.data) ? 500 : false),
  });

/** Wait for the end of a task; what needs a hand is an error with its problem. */
export async function followTask(id: string, tell: (task: Task) => void): Promise<Task> {
  for (;;) {
    const task = body(await api.GET('/api/v1/tasks/{task_id}', { params: { path: { task_id: id } } }));
    tell(task);
    if (task.state === 'needs a hand') throw new Error(task.problem ?? 'It needs a hand.');
    if (ENDED.includes(task.state)) return task;
    await new Promise((resolve) => setTimeout(resolve, 300));
  }
}
