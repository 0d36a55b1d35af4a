/** What was refused of a delivery, with the reasons and what was sent; to take away as a file. */
import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import { DataTable } from '../shared/DataTable';
import { momentName } from '../shared/dates';
import { formatCount } from '../shared/decimal';
import { Empty, Query } from '../shared/States';
import { type Delivery, type Feed, refusedFile, refusedOptions } from './metering';

const CODE = { fontFamily: 'monospace', fontSize: '0.8rem', overflowWrap: 'anywhere' } as const;

export function RefusedItemsDialog({
  feed,
  delivery,
  onClose,
}: {
  feed: Feed;
  delivery: Delivery;
  onClose: () => void;
}) {
  const refused = useQuery(refusedOptions(feed.path, delivery.id));
  return (
    <Dialog open onClose={onClose} aria-labelledby="refused-title" fullWidth maxWidth="lg">
      <DialogTitle id="refused-title">
        Refused of {delivery.file ?? `what came at ${momentName(delivery.received_at)} UTC`}
      </DialogTitle>
      <DialogContent>
        <Query query={refused}>
          {(found) =>
            found.length ? (
              <>
                <Box sx={{ color: 'text.secondary', mb: 2 }}>
                  {found.length < delivery.refused
                    ? `The first ${formatCount(found.length)} of ${formatCount(delivery.refused)}; the file has them all. `
                    : ''}
                  What is mended is sent again under the same id; what was taken in does not count twice.
                </Box>
                <DataTable
                  name="refused items"
                  label="Refused items"
                  rows={found}
                  rowKey={(row) => String(row.position)}
                  columns={[
                    { key: 'id', title: 'Item', width: 150, cell: (row) => <Box sx={CODE}>{row.id}</Box> },
                    { key: 'reason', title: 'Why', cell: (row) => row.reason },
                    { key: 'sent', title: 'What was sent', cell: (row) => <Box sx={CODE}>{row.sent}</Box> },
                  ]}
                />
              </>
            ) : (
              <Empty title="Nothing of it is kept">
                What was refused is kept for 60 days; of what came before this was kept there is only the
                first reason: {delivery.first_refusal}
              </Empty>
            )
          }
        </Query>
      </DialogContent>
      <DialogActions>
        {!!refused.data?.length && (
          <Button href={refusedFile(feed.path, delivery.id)} download>
            Save as CSV
          </Button>
        )}
        <Button variant="contained" onClick={onClose}>
          Close
        </Button>
      </DialogActions>
    </Dialog>
  );
}
