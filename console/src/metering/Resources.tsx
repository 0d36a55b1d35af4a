/** How many resources, and which for example. */
import { Box } from '@mui/material';
import { formatCount } from '../shared/decimal';

export const Resources = ({ count, examples }: { count: number; examples: string[] }) => (
  <Box component="span" title={examples.join(', ')}>
    {count > 0 && `${formatCount(count)}: `}
    {examples.slice(0, 2).join(', ')}
    {count > 2 && ' …'}
  </Box>
);
