/** How current an answer is: the service counts what comes in by itself, pages read. */

export interface Current {
  as_of: string;
  waiting: boolean;
}

/** Asked again every few seconds while something newer is on its way. */
export const againWhileWaiting = (query: { state: { data?: Current | undefined } }): number | false =>
  query.state.data?.waiting ? 2_000 : false;
