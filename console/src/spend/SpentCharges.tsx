/** The charges behind spend, each unfolding into its arithmetic. */
import { Box, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { Arithmetic } from '../billing/Arithmetic';
import type { Explanation } from '../billing/invoices';
import { useState } from 'react';
import { DataTable } from '../shared/DataTable';
import { periodName } from '../shared/dates';
import { compare, formatMoney } from '../shared/decimal';
import { Query } from '../shared/States';
import { type Asked, type SpentCharge, spentChargeOptions, spentChargesOptions } from './spending';

export function SpentCharges({ asked, currency }: { asked: Asked; currency: string }) {
  const charges = useQuery(spentChargesOptions(asked));
  const [open, setOpen] = useState<string | null>(null);
  return (
    <Query query={charges} rows={4}>
      {(found) => (
        <>
          <DataTable
            name="charges"
            label="Charges behind it"
            rows={found.items.filter((each) => each.currency === currency)}
            rowKey={(row) => row.id}
            onOpen={(row) => setOpen(open === row.id ? null : row.id)}
            selected={open}
            detail={(row) => <Why charge={row} />}
            columns={[
              { key: 'what', title: 'Charge', cell: (row) => row.description },
              { key: 'who', title: 'Of', cell: (row) => `${row.organisation_name}, ${row.subscription}` },
              { key: 'period', title: 'Month', cell: (row) => periodName(row.period) },
              {
                key: 'whole',
                title: 'Whole charge',
                number: true,
                cell: (row) => formatMoney(row.whole, row.currency),
              },
              {
                key: 'amount',
                title: `Of it here, ${currency}`,
                number: true,
                cell: (row) => formatMoney(row.amount, row.currency),
                order: (left, right) => compare(left.amount, right.amount),
              },
            ]}
          />
          {found.more && (
            <Typography variant="body2" sx={{ color: 'text.secondary', mt: 1 }}>
              The largest are shown; choose more narrowly to see others.
            </Typography>
          )}
        </>
      )}
    </Query>
  );
}

function Why({ charge }: { charge: SpentCharge }) {
  const found = useQuery(spentChargeOptions(charge.id));
  return (
    <Box
      sx={{ borderLeft: '2px solid', borderColor: 'primary.main', px: 2.5, py: 2, display: 'grid', gap: 2 }}
    >
      <Query query={found} rows={3}>
        {(whole) => (
          <Arithmetic
            why={whole.explanation as Explanation}
            card={whole.rate_card}
            currency={whole.currency}
          />
        )}
      </Query>
    </Box>
  );
}
