/** Rates in words: what they match, how they price, and what a unit comes to. */
import { compare, formatQuantity, share } from '../shared/decimal';
import { formatUnit } from '../shared/units';
import type { Block, Discount, Rate, Where } from './catalogue';

const condition = (where: Where): string => {
  if (typeof where === 'string') return where;
  if (Array.isArray(where)) return where.join(' or ');
  return 'prefix' in where ? `beginning with ${where.prefix}` : `containing ${where.contains}`;
};

/** What a rate matches, in words. */
export function whereWords(rate: Rate): string {
  const said = Object.entries(rate.where ?? {}).map(
    ([name, where]) => `${name === 'phase' ? 'while' : name} ${condition(where)}`,
  );
  if (rate.when) {
    const days = rate.when.days && rate.when.days.length < 7 ? `on ${rate.when.days.join(', ')}` : '';
    const from = rate.when.from ?? '00:00';
    const to = rate.when.to ?? '24:00';
    const hours = from === '00:00' && to === '24:00' ? '' : `${from} to ${to}`;
    said.push([days, hours].filter(Boolean).join(' '));
  }
  return said.join(', ');
}

/** What a rate prices. */
export function whatWords(rate: Rate, names: CalledBy): string {
  if (rate.fee) {
    const [plan = '', tier = ''] = rate.fee.split('/');
    return `fee of ${names.tier(plan, tier)}`;
  }
  if (rate.commitment)
    return `minimum spend${rate.services?.length ? ` on ${rate.services.map(names.service).join(', ')}` : ''}`;
  if (rate.spread) return `fixed cost, spread by ${rate.by ? names.meter(rate.by) : ''}`;
  return rate.meter ? names.meter(rate.meter) : '';
}

/** What people call meters, services, and tiers with their plan. */
export interface CalledBy {
  meter: (slug: string) => string;
  service: (slug: string) => string;
  tier: (plan: string, tier: string) => string;
}

/** What a price is per. */
export function perWords(rate: Rate): string {
  if (rate.fee) {
    if (rate.every === 'once') return 'piece, once';
    return `${rate.every ?? 'month'}${String(rate.advance) === 'true' ? ', in advance' : ''}`;
  }
  if (rate.commitment || rate.spread) return 'month';
  if (rate.lots) return `${formatQuantity(rate.lots.of)} ${formatUnit(rate.per ?? '', rate.lots.of)} begun`;
  if (rate.markup) return `${rate.markup.of ?? 'billed'} cost`;
  if (rate.started) return `${rate.per ?? ''}, ${rate.started}s begun`;
  return rate.per ?? '';
}

/** Whether the block that the whole quantity reaches prices all of it; else each block its share. */
export const atReachedStep = (rate: Rate): boolean => String(rate['at-reached-step']) === 'true';

/** Each price of a rate with the quantity that it is for. */
export function priceRows(rate: Rate): { range: string; price: string }[] {
  const { blocks } = rate;
  if (blocks)
    return blocks.map((block, index) => {
      const from = blocks[index - 1]?.to ?? '0';
      const until = block.to;
      const range = until
        ? `${formatQuantity(from)} to ${formatQuantity(until)}`
        : `above ${formatQuantity(from)}`;
      return { range: atReachedStep(rate) ? `all, if ${range}` : range, price: block.price };
    });
  if (rate.lots) return [{ range: '', price: rate.lots.price }];
  if (rate.markup)
    return [
      {
        range: rate.markup.fixed ? `and ${rate.markup.fixed} a month` : '',
        price: compare(rate.markup.percent, '0') ? `+${rate.markup.percent} %` : 'at cost',
      },
    ];
  return [{ range: '', price: rate.price ?? rate.commitment ?? rate.spread ?? '' }];
}

/** What bounds or eases a rate, in words. */
export function limitWords(rate: Rate): string {
  const said: string[] = [];
  if (rate.allowance) said.push(`first ${formatQuantity(rate.allowance)} free`);
  if (rate.committed) said.push(`at least ${formatQuantity(rate.committed)}`);
  if (rate.minimum) said.push(`at least ${rate.minimum}`);
  if (rate.cap) said.push(`at most ${rate.cap}`);
  if (rate.over && rate.over !== 'subscription') said.push(`counted per ${rate.over}`);
  return said.join(', ');
}

/** What a discount is, in words. */
export function discountWords(discount: Discount): string {
  const off = discount.percent ? `${discount.percent} % off` : `${discount.amount ?? ''} off per month`;
  const what = [...(discount.services ?? []), ...(discount.rates ?? [])];
  const dates = [
    discount.from && `from ${discount.from}`,
    discount.until && `until ${discount.until}`,
  ].filter(Boolean);
  return [off, what.length ? `on ${what.join(', ')}` : 'on everything', ...dates].join(' ');
}

const isNumber = (text: string | undefined): text is string => /^\d+(\.\d+)?$/.test(text ?? '');

/** Blocks as far as they are complete and ascend; drawing waits for the rest. */
export function drawable(rate: Rate): { blocks: Block[]; whole: boolean } | null {
  const { blocks } = rate;
  if (!blocks || blocks.length < 2) return null;
  const complete = blocks.every(
    (block, index) => isNumber(block.price) && (index === blocks.length - 1) !== isNumber(block.to),
  );
  const ascending = blocks.every((block, index) => {
    const before = blocks[index - 1]?.to;
    const until = block.to;
    return !before || !until || compare(until, before) > 0;
  });
  return complete && ascending ? { blocks, whole: atReachedStep(rate) } : null;
}

/** Where on a drawing quantity and price lie, from 0 to 1; for lines only, never for figures. */
export function curve(blocks: Block[], whole: boolean, points = 80): { x: number; y: number }[] {
  const ends = blocks.map((block) => block.to).filter(isNumber);
  const last = ends[ends.length - 1] ?? '1';
  const prices = blocks.map((block) => block.price);
  const top = prices.reduce((best, price) => (compare(price, best) > 0 ? price : best), '0');
  const widths = ends.map((end) => share(end, last) / 1.5);
  const heights = prices.map((price) => share(price, top));
  return Array.from({ length: points }, (_, index) => {
    const x = (index + 1) / points;
    let total = 0;
    let from = 0;
    let reached = heights.length - 1;
    for (let step = 0; step < heights.length; step += 1) {
      const until = widths[step] ?? 1;
      const inside = Math.max(0, Math.min(x, until) - from);
      total += inside * (heights[step] ?? 0);
      if (x <= until) {
        reached = step;
        break;
      }
      from = until;
    }
    return { x, y: whole ? (heights[reached] ?? 0) : total / x };
  });
}

/** How a condition compares. */
export const howOf = (where: Where): string => {
  if (typeof where === 'string') return 'equals';
  if (Array.isArray(where)) return 'one-of';
  return 'prefix' in where ? 'prefix' : 'contains';
};

/** What it compares with, as one writes it. */
export const textOf = (where: Where): string => {
  if (typeof where === 'string') return where;
  if (Array.isArray(where)) return where.join(', ');
  return 'prefix' in where ? where.prefix : where.contains;
};

/** The condition of a comparison and what is written beside it. */
export function conditionOf(how: string, text: string): Where {
  if (how === 'one-of') return text.split(',').map((each) => each.trim());
  if (how === 'prefix') return { prefix: text };
  return how === 'contains' ? { contains: text } : text;
}
