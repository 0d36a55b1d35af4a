/** What a service is: what is counted, what its price can depend on, what is chosen. */
import { Box, Checkbox, FormControlLabel } from '@mui/material';
import { useMeasures } from '../organisations/measures';
import { At } from './mistakes';
import type { Meter, ServiceForm } from './catalogue';
import { Add, change, Group, Line, Pairs, Remove, Row, Select, withItem, withoutItem, Words } from './fields';

const CATEGORIES = [
  'AI and Machine Learning',
  'Analytics',
  'Compute',
  'Databases',
  'Identity',
  'Management and Governance',
  'Networking',
  'Other',
  'Security',
  'Storage',
];
const UNITS = [
  'byte',
  'byte-second',
  'piece',
  'piece-second',
  'request',
  'seat-second',
  'second',
  'watt-hour',
];

export function ServiceEditor({
  form,
  onChange,
}: {
  form: ServiceForm;
  onChange: (form: ServiceForm) => void;
}) {
  const measures = useMeasures();
  const set = (field: keyof ServiceForm) => (value: unknown) => onChange(change(form, field, value));
  const meters = Object.entries(form.meters ?? {});
  const setMeters = (next: [string, Meter][]) => onChange({ ...form, meters: Object.fromEntries(next) });
  const attributes = Object.entries(form.attributes ?? {});
  const setAttributes = (next: [string, string[]][]) =>
    onChange({ ...form, attributes: Object.fromEntries(next) });
  const choices = Object.entries(form.choices ?? {});
  return (
    <Box sx={{ display: 'grid', gap: 3, maxWidth: 1000 }}>
      <Row>
        <Line place="name" label="Name" value={form.name} onChange={set('name')} width={260} />
        <Line
          place="category"
          label="Category"
          value={form.category}
          onChange={set('category')}
          options={CATEGORIES}
        />
        <Line
          place="subcategory"
          label="Subcategory"
          value={form.subcategory}
          onChange={set('subcategory')}
        />
        <Line place="supplier" label="Really supplied by" value={form.supplier} onChange={set('supplier')} />
        <Select
          label="Licence"
          value={form.licence ?? 'none'}
          onChange={(value) => set('licence')(value === 'none' ? '' : value)}
          options={['none', 'included', 'brought']}
        />
      </Row>
      <Line
        place="description"
        label="Description"
        value={form.description}
        onChange={set('description')}
        width="100%"
        multiline
      />
      <Group title="Meters">
        {meters.map(([slug, meter], index) => {
          const put = (next: [string, Meter]) =>
            setMeters(meters.map((each, place) => (place === index ? next : each)));
          const field = (name: keyof Meter) => (value: string) => put([slug, change(meter, name, value)]);
          return (
            <At key={index} place={`meters.${slug}`}>
              <Row>
                <Line label="Meter" value={slug} onChange={(next) => put([next, meter])} width={130} />
                <Line label="Meter's name" value={meter.name} onChange={field('name')} width={170} />
                <Line
                  label="Counted in"
                  value={meter.unit}
                  onChange={field('unit')}
                  options={UNITS}
                  width={140}
                />
                <Line
                  label="Name of one piece"
                  value={meter.counted}
                  onChange={field('counted')}
                  width={120}
                />
                <Select
                  label="Samples"
                  value={meter.combine}
                  onChange={field('combine')}
                  options={[
                    ['sum', 'add up'],
                    ['level', 'a level, over time'],
                    ['held', 'a level, until the next'],
                  ]}
                />
                <Select
                  label="What counts"
                  value={meter.statistic ?? 'sum'}
                  onChange={(value) =>
                    put([
                      slug,
                      value === 'sum'
                        ? change(change(change(meter, 'statistic', ''), 'window', ''), 'across', '')
                        : { ...meter, statistic: value, window: meter.window ?? 'period' },
                    ])
                  }
                  options={[
                    ['sum', 'all'],
                    ['max', 'the highest'],
                    ['mean', 'their mean'],
                    ['p95', '95th percentile'],
                  ]}
                />
                {meter.statistic && (
                  <Select
                    label="In each"
                    value={meter.window}
                    onChange={field('window')}
                    options={['day', 'period']}
                    width={100}
                  />
                )}
                <Select
                  label="Resources"
                  value={meter.across ?? 'sum'}
                  onChange={(value) => field('across')(value === 'sum' ? '' : value)}
                  options={[
                    ['sum', 'add up'],
                    ['max', 'the highest counts'],
                    ['distinct', 'each counts one'],
                  ]}
                />
                <Select
                  label="Is use of"
                  value={meter.measure ?? ''}
                  onChange={field('measure')}
                  width={130}
                  options={[
                    ['', 'nothing limited'],
                    ...measures.map(({ measure }): [string, string] => [measure, measure]),
                  ]}
                />
                <FormControlLabel
                  label="Only watched"
                  control={
                    <Checkbox
                      size="small"
                      checked={Boolean(meter.watched)}
                      onChange={(_, watched) =>
                        put([slug, { ...meter, watched: watched ? true : undefined }])
                      }
                    />
                  }
                />
                <Remove
                  what={`meter ${slug}`}
                  onClick={() => setMeters(meters.filter((_, place) => place !== index))}
                />
              </Row>
            </At>
          );
        })}
        <Add
          what="meter"
          onClick={() => setMeters([...meters, ['', { name: '', unit: 'byte-second', combine: 'level' }]])}
        />
      </Group>
      <Group title="Attributes that a price can depend on">
        {attributes.map(([slug, values], index) => (
          <At key={index} place={`attributes.${slug}`}>
            <Row>
              <Line
                label="Attribute"
                value={slug}
                width={160}
                onChange={(next) =>
                  setAttributes(attributes.map((each, place) => (place === index ? [next, values] : each)))
                }
              />
              <Words
                label="Allowed values, none is any"
                value={values}
                width={420}
                onChange={(next) =>
                  setAttributes(attributes.map((each, place) => (place === index ? [slug, next] : each)))
                }
              />
              <Remove
                what={`attribute ${slug}`}
                onClick={() => setAttributes(attributes.filter((_, place) => place !== index))}
              />
            </Row>
          </At>
        ))}
        <Add what="attribute" onClick={() => setAttributes([...attributes, ['', []]])} />
      </Group>
      <Group title="Choices of who orders, the first value is the default">
        {choices.map(([slug, choice], index) => {
          const put = (next: [string, { name: string; values: string[] }]) =>
            set('choices')(Object.fromEntries(choices.map((each, place) => (place === index ? next : each))));
          return (
            <At key={index} place={`choices.${slug}`}>
              <Row>
                <Line label="Choice" value={slug} onChange={(next) => put([next, choice])} width={160} />
                <Line
                  label="Choice's name"
                  value={choice.name}
                  onChange={(name) => put([slug, { ...choice, name }])}
                />
                <Words
                  label="Values"
                  value={choice.values}
                  onChange={(values) => put([slug, { ...choice, values }])}
                />
                <Remove
                  what={`choice ${slug}`}
                  onClick={() =>
                    set('choices')(Object.fromEntries(choices.filter((_, place) => place !== index)))
                  }
                />
              </Row>
            </At>
          );
        })}
        <Add
          what="choice"
          onClick={() => set('choices')({ ...form.choices, '': { name: '', values: [''] } })}
        />
      </Group>
      <Sizes form={form} onChange={set('sizes')} />
      <Row>
        <Words place="requires" label="Requires services" value={form.requires} onChange={set('requires')} />
        <Words place="excludes" label="Excludes services" value={form.excludes} onChange={set('excludes')} />
        <Words
          place="phases"
          label="Phases of a resource"
          value={form.phases}
          onChange={set('phases')}
          help="that a resource can be in, like parked, awake; prices can depend on them"
        />
      </Row>
      <Pairs
        title="Notes for inside use, never shown to customers"
        adds="note"
        value={form.internal}
        onChange={set('internal')}
        nameLabel="Note"
        valueLabel="Text"
      />
    </Box>
  );
}

type SizeMap = Exclude<ServiceForm['sizes'], string | undefined>;

/** Named sizes with their amounts, or those of another service. */
function Sizes({ form, onChange }: { form: ServiceForm; onChange: (sizes: unknown) => void }) {
  const shared = typeof form.sizes === 'string' ? form.sizes : '';
  const own = Object.entries(typeof form.sizes === 'object' ? form.sizes : {});
  const put = (next: [string, SizeMap[string]][]) => onChange(Object.fromEntries(next));
  return (
    <Group title="Named sizes">
      {own.map(([slug, size], index) => (
        <At key={index} place={`sizes.${slug}`}>
          <Box sx={{ display: 'grid', gap: 1 }}>
            <Row>
              <Line
                label="Size"
                value={slug}
                width={140}
                onChange={(next) => put(withItem(own, index, [next, size] as [string, SizeMap[string]]))}
              />
              <Line
                label="Size's name"
                value={size.name}
                onChange={(name) =>
                  put(withItem(own, index, [slug, { ...size, name }] as [string, SizeMap[string]]))
                }
              />
              <Remove what={`size ${slug}`} onClick={() => put(withoutItem(own, index))} />
            </Row>
            <Pairs
              title={`What ${size.name || 'it'} has`}
              adds="amount"
              value={size.amounts}
              onChange={(amounts) =>
                put(withItem(own, index, [slug, { ...size, amounts }] as [string, SizeMap[string]]))
              }
              nameLabel="Of what"
              valueLabel="like 2 vCPU"
            />
          </Box>
        </At>
      ))}
      <Row>
        {!shared && <Add what="size" onClick={() => put([...own, ['', { name: '', amounts: {} }]])} />}
        {!own.length && (
          <Line label="or the sizes of the service" value={shared} onChange={onChange} width={230} />
        )}
      </Row>
    </Group>
  );
}
