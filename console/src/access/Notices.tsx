/** What one was told, from a button in the bar: the same as went out by mail. */
import { Badge, Box, Button, Popover } from '@mui/material';
import { visuallyHidden } from '@mui/utils';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { momentName } from '../shared/dates';
import { Empty, Query } from '../shared/States';
import { noticesOptions, readNotices } from './messages';

export function Notices() {
  const queries = useQueryClient();
  const notices = useQuery(noticesOptions);
  const [at, setAt] = useState<HTMLElement | null>(null);
  const read = useMutation({
    mutationFn: readNotices,
    onSuccess: () => queries.invalidateQueries({ queryKey: noticesOptions.queryKey }),
  });
  const unread = notices.data?.unread ?? 0;
  const close = () => {
    setAt(null);
    const newest = notices.data?.items[0];
    if (unread && newest) read.mutate(newest.created_at);
  };
  return (
    <>
      <Button
        variant="outlined"
        color="inherit"
        size="medium"
        aria-haspopup="dialog"
        onClick={(event) => setAt(event.currentTarget)}
        sx={{ borderColor: 'divider', py: 0.35, color: 'text.secondary', fontWeight: 400 }}
      >
        <Badge
          badgeContent={unread}
          color="primary"
          max={99}
          sx={{ '& .MuiBadge-badge': { right: -6 } }}
          slotProps={{ badge: { 'aria-hidden': true } }}
        >
          Notices
        </Badge>
        {unread > 0 && (
          <Box component="span" sx={visuallyHidden}>
            {unread} new
          </Box>
        )}
      </Button>
      {at && (
        <Popover
          open
          anchorEl={at}
          onClose={close}
          anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
          transformOrigin={{ vertical: 'top', horizontal: 'right' }}
        >
          <Box role="dialog" aria-label="Notices" sx={{ width: 420, maxWidth: '92vw', maxHeight: 460 }}>
            <Query query={notices} rows={3}>
              {({ items }) =>
                items.length ? (
                  <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
                    {items.map((each) => (
                      <Box
                        component="li"
                        key={each.id}
                        sx={{ borderBottom: '1px solid', borderColor: 'divider' }}
                      >
                        <Box
                          component={Link}
                          to={each.path}
                          onClick={close}
                          sx={{
                            display: 'block',
                            px: 2,
                            py: 1.25,
                            color: 'text.primary',
                            textDecoration: 'none',
                            fontWeight: each.unread ? 620 : 400,
                            '&:hover': { bgcolor: 'action.hover' },
                          }}
                        >
                          {each.unread && '● '}
                          {each.subject}
                          <Box sx={{ color: 'text.secondary', fontSize: '0.8rem', fontWeight: 400 }}>
                            {each.from_name}, {momentName(each.created_at)} UTC
                          </Box>
                        </Box>
                      </Box>
                    ))}
                  </Box>
                ) : (
                  <Empty title="Nothing was told to you yet">
                    Orders, requests and answers that concern you stand here, and come by mail.
                  </Empty>
                )
              }
            </Query>
          </Box>
        </Popover>
      )}
    </>
  );
}
