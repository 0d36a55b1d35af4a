/** What is expected to be used in a month, meter by meter, in the units that people think in. */
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Line, Select } from '../catalogue/fields';
import type { Metered } from '../catalogue/offered';
import { usageOptions } from '../metering/metering';
import { periodName, periodsFrom } from '../shared/dates';
import { divide, plain, times } from '../shared/decimal';
import { Section } from '../shared/Page';
import type { ExpectedUse } from './estimates';

export interface Use {
  quantity: string;
  unit: string;
  attributes: Record<string, string>;
}
export type Uses = Record<string, Use>;

/** The unit that people think of a meter in, and how many of its base units that is. */
const UNITS: Record<string, [string, string]> = {
  byte: ['GiB', '1073741824'],
  'byte-second': ['GiB-month730', times('1073741824', String(730 * 3600))],
};
function thoughtOf(unit: string): [string, string] {
  if (UNITS[unit]) return UNITS[unit];
  return unit.endsWith('-second') ? [unit.replace(/-second$/, '-hour'), '3600'] : [unit, '1'];
}

const QUANTITY = /^\d+(\.\d+)?$/;

/** What is wrong with a quantity; one that is not written is none. */
const problemOf = (use: Use): string | undefined =>
  use.quantity === '' || QUANTITY.test(use.quantity) ? undefined : 'A number, as in 12.5';

/** Whether some quantity is not a number: what was typed must not be left out of a price in silence. */
export const anyWrong = (meters: Metered[], uses: Uses): boolean =>
  meters.some(({ key }) => uses[key] && problemOf(uses[key]));

/** What was written down, with the first of each choice where none was made. */
export function expectedOf(meters: Metered[], uses: Uses): ExpectedUse[] {
  return meters.flatMap(({ key, service, meter }) => {
    const use = uses[key];
    if (!use || !QUANTITY.test(use.quantity)) return [];
    const defaults = Object.fromEntries(
      Object.entries(service.choices ?? {})
        .filter(([name]) => service.attributes?.[name])
        .map(([name, choice]) => [name, choice.values[0] ?? '']),
    );
    return [
      {
        meter: key,
        quantity: use.quantity,
        unit: use.unit || thoughtOf(meter.unit)[0],
        attributes: { ...defaults, ...use.attributes },
      },
    ];
  });
}

export function Expected(props: {
  organisation: string;
  now: string;
  meters: Metered[];
  uses: Uses;
  onChange: (uses: Uses) => void;
}) {
  const { organisation, now, meters, uses, onChange } = props;
  const before = periodsFrom(now.slice(0, 7), -1);
  const used = useQuery({ ...usageOptions(organisation, before, []), enabled: organisation !== '' });
  const known = (used.data?.items ?? []).filter((each) => meters.some(({ key }) => key === each.meter));
  const fill = () =>
    onChange(
      Object.fromEntries(
        known.flatMap((each) => {
          const found = meters.find(({ key }) => key === each.meter);
          if (!found) return [];
          const [unit, factor] = thoughtOf(found.meter.unit);
          const attributes = uses[each.meter]?.attributes ?? {};
          return [[each.meter, { quantity: plain(divide(each.quantity, factor), 2), unit, attributes }]];
        }),
      ),
    );
  return (
    <Section
      title="Expected in a month"
      aside={known.length > 0 && <Button onClick={fill}>As in {periodName(before).split(' ')[0]}</Button>}
    >
      <Box sx={{ display: 'grid', gap: 1.5 }}>
        {meters.map(({ key, service, meter }) => {
          const use = uses[key] ?? { quantity: '', unit: '', attributes: {} };
          const put = (next: Partial<Use>) => onChange({ ...uses, [key]: { ...use, ...next } });
          const name = `${service.name}: ${meter.name}`;
          return (
            <Box key={key}>
              <Box sx={{ fontSize: '0.82rem', mb: 0.5 }}>{name}</Box>
              <Box sx={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: 1 }}>
                <Line
                  label="Quantity"
                  spoken={`Quantity of ${name}`}
                  value={use.quantity}
                  problem={problemOf(use)}
                  width="100%"
                  onChange={(value) => put({ quantity: value.trim() })}
                />
                <Line
                  label="Unit"
                  spoken={`Unit of ${name}`}
                  value={use.unit || thoughtOf(meter.unit)[0]}
                  width="100%"
                  onChange={(unit) => put({ unit })}
                />
                {Object.entries(service.choices ?? {})
                  .filter(([choice]) => service.attributes?.[choice])
                  .map(([choice, { name: label, values }]) => (
                    <Select
                      key={choice}
                      label={label}
                      value={use.attributes[choice] ?? values[0]}
                      options={values}
                      width="100%"
                      onChange={(value) => put({ attributes: { ...use.attributes, [choice]: value } })}
                    />
                  ))}
              </Box>
            </Box>
          );
        })}
      </Box>
    </Section>
  );
}
