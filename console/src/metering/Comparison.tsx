/** What a feed measured where it gave way, beside what counts in its place. */
import { Box, Button } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { DataTable } from '../shared/DataTable';
import { formatCount } from '../shared/decimal';
import { Remark } from '../shared/form';
import { Query } from '../shared/States';
import { quantityIn } from '../shared/units';
import { type ComparedMeter, comparisonOptions } from './precedences';

export function Comparison({ feed, period }: { feed: string; period: string }) {
  const [shown, setShown] = useState(false);
  return (
    <Box sx={{ mt: 1 }}>
      <Button variant="outlined" aria-expanded={shown} onClick={() => setShown(!shown)}>
        {shown ? 'Hide the comparison' : 'Compare with what counted'}
      </Button>
      {shown && <Compared feed={feed} period={period} />}
    </Box>
  );
}

function Compared({ feed, period }: { feed: string; period: string }) {
  const comparison = useQuery(comparisonOptions(feed, period));
  return (
    <Query query={comparison} rows={3}>
      {(found) => (
        <>
          {found.meters.map((meter) => (
            <Box key={meter.meter} sx={{ mt: 1.5 }}>
              <Remark>
                {meter.meter_name}: {formatCount(meter.resources)} resources measured by both
                {meter.differing ? `, of which ${formatCount(meter.differing)} differ.` : ', all alike.'}
              </Remark>
              <Amounts meter={meter} />
            </Box>
          ))}
        </>
      )}
    </Query>
  );
}

function Amounts({ meter }: { meter: ComparedMeter }) {
  const rows = [{ ...meter, resource: 'All that both measured' }, ...meter.examples];
  const amount = (key: 'measured' | 'counted' | 'difference', title: string) => ({
    key,
    title,
    number: true,
    cell: (row: (typeof rows)[number]) => quantityIn(row[key], meter.unit),
  });
  return (
    <DataTable
      name={`compared ${meter.meter}`}
      label={`Compared: ${meter.meter_name}`}
      rows={rows}
      rowKey={(row) => row.resource}
      columns={[
        { key: 'resource', title: 'Resource', cell: (row) => row.resource },
        amount('measured', 'This feed'),
        amount('counted', 'Counted'),
        amount('difference', 'Difference'),
      ]}
    />
  );
}
