/** One rate: what it prices, how, and a curve of the unit price where there are blocks. */
import { Box } from '@mui/material';
import { useState } from 'react';
import type { Block, Rate } from './catalogue';
import { atReachedStep } from './rates';
import {
  Add,
  change,
  Group,
  Line,
  Remove,
  Row,
  Select,
  withItem,
  withoutItem,
  Words,
  NUMBER,
  TIME,
} from './fields';
import { UnitPriceCurve } from './UnitPriceCurve';
import { WhereEditor } from './WhereEditor';

const KINDS = [
  ['price', 'per unit'],
  ['blocks', 'stepped blocks'],
  ['reached', 'all at the reached step'],
  ['lots', 'lots begun'],
  ['markup', 'percentage on a cost'],
  ['fee', 'fee of a tier'],
  ['commitment', 'minimum spend'],
  ['spread', 'fixed cost, spread by use'],
] as const;
type KindKey = (typeof KINDS)[number][0];
const PRICED = ['price', 'blocks', 'reached', 'lots', 'markup'] as const;
const FIELDS = ['lots', 'markup', 'commitment', 'spread'] as const;
const COMMON = [
  'meter',
  'per',
  'where',
  'when',
  'over',
  'allowance',
  'committed',
  'minimum',
  'cap',
  'started',
];
const BOUNDS = ['allowance', 'committed', 'minimum', 'cap', 'over', 'started'] as const;
const DAYS = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'];

export function kindOf(rate: Rate): KindKey {
  if (rate.fee !== undefined) return 'fee';
  if (rate.blocks !== undefined) return atReachedStep(rate) ? 'reached' : 'blocks';
  return FIELDS.find((key) => rate[key] !== undefined) ?? 'price';
}

/** The same rate priced in another way, with what both have in common. */
export function withKind(rate: Rate, kind: KindKey): Rate {
  const base = { rate: rate.rate };
  if (kind === 'fee') return { ...base, fee: '', price: '' };
  if (kind === 'commitment') return { ...base, commitment: '' };
  if (kind === 'spread') return { ...base, spread: '', by: rate.meter ?? '' };
  const common = Object.entries(rate).filter(([field]) => COMMON.some((each) => each === field));
  const kept: Rate = { ...base, meter: '', per: '', ...Object.fromEntries(common) };
  const blocks = rate.blocks ?? [{ to: '', price: '' }, { price: '' }];
  if (kind === 'blocks') return { ...kept, blocks };
  if (kind === 'reached') return { ...kept, blocks, 'at-reached-step': true };
  if (kind === 'lots') return { ...kept, lots: { of: '', price: '' } };
  if (kind === 'markup') return { ...kept, markup: { percent: '' } };
  return { ...kept, price: rate.price ?? '' };
}

interface Props {
  rate: Rate;
  currency: string;
  meters: string[];
  /** Meters of what quotas promise: charged to customers, no key to share a cost by. */
  promised: string[];
  tiers: string[];
  onChange: (rate: Rate) => void;
  onRemove: () => void;
}

export function RateEditor({ rate, currency, meters, promised, tiers, onChange, onRemove }: Props) {
  const kind = kindOf(rate);
  const set = (field: keyof Rate) => (value: unknown) => onChange(change(rate, field, value));
  const usage = (PRICED as readonly string[]).includes(kind);
  const { blocks } = rate;
  return (
    <Box
      role="group"
      aria-label={`Rate ${rate.rate || 'without name'}`}
      sx={{ display: 'grid', gap: 1.25, py: 1.5, borderBottom: '1px solid', borderColor: 'hairline' }}
    >
      <Row>
        <Line
          label="Rate"
          value={rate.rate}
          onChange={(value) => onChange({ ...rate, rate: value })}
          width={170}
        />
        <Select
          label="Priced"
          value={kind}
          onChange={(next) => onChange(withKind(rate, next as KindKey))}
          options={KINDS}
          width={190}
        />
        {usage && (
          <>
            <Line
              label="Meter"
              value={rate.meter}
              options={[...meters, ...promised]}
              width={210}
              onChange={(value) => onChange({ ...rate, meter: value })}
            />
            <Line
              label="Per"
              value={rate.per}
              onChange={(value) => onChange({ ...rate, per: value })}
              width={140}
            />
          </>
        )}
        {kind === 'fee' && (
          <>
            <Line
              label="Plan/tier"
              value={rate.fee}
              options={tiers}
              width={210}
              onChange={(value) => onChange({ ...rate, fee: value })}
            />
            <Select
              label="Every"
              value={rate.every ?? 'month'}
              onChange={(value) => set('every')(value === 'month' ? '' : value)}
              options={['once', 'month', 'quarter', 'year']}
              width={110}
            />
            <Select
              label="Charged"
              value={String(rate.advance ?? 'false')}
              onChange={(value) => set('advance')(value === 'true' ? true : '')}
              options={[
                ['false', 'in arrears'],
                ['true', 'in advance'],
              ]}
              width={120}
            />
          </>
        )}
        {rate.price !== undefined && (
          <Line
            label={`Price, ${currency}`}
            check={NUMBER}
            value={rate.price}
            onChange={(value) => onChange({ ...rate, price: value })}
            width={130}
          />
        )}
        {kind === 'spread' && (
          <>
            <Line
              label={`Cost per month, ${currency}`}
              check={NUMBER}
              value={rate.spread}
              onChange={(value) => onChange({ ...rate, spread: value })}
              width={170}
            />
            <Line
              label="Spread by what is used of"
              value={rate.by}
              options={meters}
              onChange={(value) => onChange({ ...rate, by: value })}
              width={220}
            />
          </>
        )}
        {kind === 'commitment' && (
          <>
            <Line
              label={`Spend per month, ${currency}`}
              check={NUMBER}
              value={rate.commitment}
              onChange={(value) => onChange({ ...rate, commitment: value })}
              width={180}
            />
            <Words label="Only these services (none: all)" value={rate.services} onChange={set('services')} />
            <Select
              label="Counted per"
              value={rate.over ?? 'buyer'}
              width={130}
              onChange={(value) => set('over')(value === 'buyer' ? '' : value)}
              options={['buyer', 'subscription', 'tenant']}
            />
          </>
        )}
        {rate.lots && (
          <>
            <Line
              label="Each lot is of"
              check={NUMBER}
              value={rate.lots.of}
              width={120}
              onChange={(of) => onChange({ ...rate, lots: { of, price: rate.lots?.price ?? '' } })}
            />
            <Line
              label={`Price, ${currency}`}
              check={NUMBER}
              value={rate.lots.price}
              width={130}
              onChange={(price) => onChange({ ...rate, lots: { of: rate.lots?.of ?? '', price } })}
            />
          </>
        )}
        {rate.markup && (
          <>
            <Line
              label="Percent on top"
              check={NUMBER}
              value={rate.markup.percent}
              width={130}
              onChange={(percent) => onChange({ ...rate, markup: { ...rate.markup, percent } })}
            />
            <Line
              label={`Fixed a month, ${currency}`}
              check={NUMBER}
              value={rate.markup.fixed}
              width={150}
              onChange={(fixed) =>
                onChange({ ...rate, markup: change(rate.markup ?? { percent: '' }, 'fixed', fixed) })
              }
            />
            <Select
              label="Of which cost"
              value={rate.markup.of ?? 'billed'}
              width={140}
              options={['billed', 'effective']}
              onChange={(of) =>
                onChange({
                  ...rate,
                  markup: change(rate.markup ?? { percent: '' }, 'of', of === 'billed' ? '' : of),
                })
              }
            />
          </>
        )}
        <Remove what={`rate ${rate.rate}`} onClick={onRemove} />
      </Row>
      {blocks && (
        <Row>
          <BlocksEditor
            blocks={blocks}
            currency={currency}
            onChange={(next) => onChange({ ...rate, blocks: next })}
          />
          <UnitPriceCurve rate={rate} />
        </Row>
      )}
      {usage && <Conditions rate={rate} onChange={onChange} />}
    </Box>
  );
}

function BlocksEditor({
  blocks,
  currency,
  onChange,
}: {
  blocks: Block[];
  currency: string;
  onChange: (blocks: Block[]) => void;
}) {
  return (
    <Group title="Blocks, the last has no end">
      {blocks.map((block, index) => {
        const last = index === blocks.length - 1;
        return (
          <Box key={index} sx={{ display: 'flex', gap: 1 }}>
            {last ? (
              <Box sx={{ width: 130, pt: 1, fontSize: '0.84rem', color: 'text.secondary' }}>and above</Box>
            ) : (
              <Line
                label="Up to"
                check={NUMBER}
                value={block.to}
                width={130}
                onChange={(to) => onChange(withItem(blocks, index, { ...block, to }))}
              />
            )}
            <Line
              label={`Price, ${currency}`}
              check={NUMBER}
              value={block.price}
              width={130}
              onChange={(price) => onChange(withItem(blocks, index, { ...block, price }))}
            />
            {!last && blocks.length > 2 && (
              <Remove what={`block ${index + 1}`} onClick={() => onChange(withoutItem(blocks, index))} />
            )}
          </Box>
        );
      })}
      <Add
        what="block"
        onClick={() => onChange([...blocks.slice(0, -1), { to: '', price: '' }, ...blocks.slice(-1)])}
      />
    </Group>
  );
}

/** Conditions as one line each, bounds, and when. */
function Conditions({ rate, onChange }: { rate: Rate; onChange: (rate: Rate) => void }) {
  const set = (field: keyof Rate) => (value: unknown) => onChange(change(rate, field, value));
  const [open, setOpen] = useState(false);
  const bounded = open || BOUNDS.some((field) => rate[field] !== undefined);
  return (
    <Row>
      <WhereEditor value={rate.where} onChange={set('where')} />
      {rate.when ? (
        <Box sx={{ display: 'flex', gap: 0.5 }}>
          <Words
            label="On days"
            value={rate.when.days ?? DAYS}
            width={280}
            onChange={(days) => onChange({ ...rate, when: { ...rate.when, days } })}
          />
          <Line
            label="From"
            check={TIME}
            value={rate.when.from ?? '00:00'}
            width={90}
            onChange={(from) => onChange({ ...rate, when: { ...rate.when, from } })}
          />
          <Line
            label="To"
            check={TIME}
            value={rate.when.to ?? '24:00'}
            width={90}
            onChange={(to) => onChange({ ...rate, when: { ...rate.when, to } })}
          />
          <Remove what="time window" onClick={() => set('when')('')} />
        </Box>
      ) : (
        <Add
          what="time window"
          onClick={() => onChange({ ...rate, when: { days: DAYS, from: '22:00', to: '06:00' } })}
        />
      )}
      {bounded ? (
        <Bounds rate={rate} onChange={onChange} />
      ) : (
        <Add what="allowance, minimum, cap or scope" onClick={() => setOpen(true)} />
      )}
    </Row>
  );
}

/** What eases or bounds a rate, and over what it counts. */
function Bounds({ rate, onChange }: { rate: Rate; onChange: (rate: Rate) => void }) {
  const set = (field: keyof Rate) => (value: unknown) => onChange(change(rate, field, value));
  return (
    <>
      <Line label="First free" value={rate.allowance} onChange={set('allowance')} width={100} />
      <Line label="Committed" value={rate.committed} onChange={set('committed')} width={100} />
      <Line label="Minimum" value={rate.minimum} onChange={set('minimum')} width={90} />
      <Line label="Cap" value={rate.cap} onChange={set('cap')} width={90} />
      <Select
        label="Counted per"
        value={rate.over ?? 'subscription'}
        width={130}
        onChange={(value) => set('over')(value === 'subscription' ? '' : value)}
        options={['subscription', 'project', 'buyer', 'tenant']}
      />
      <Select
        label="Started time"
        value={rate.started ?? 'no'}
        width={110}
        onChange={(value) => set('started')(value === 'no' ? '' : value)}
        options={['no', 'second', 'minute', 'hour']}
      />
    </>
  );
}
