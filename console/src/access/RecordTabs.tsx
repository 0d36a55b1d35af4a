/** The two halves of the record: who did what, and what the service is doing. */
import { Tab, Tabs } from '@mui/material';
import { Link } from 'react-router';

export function RecordTabs({ at }: { at: '/record' | '/record/work' }) {
  return (
    <Tabs value={at} aria-label="Record" sx={{ mb: 2 }}>
      <Tab label="Who did what" value="/record" component={Link} to="/record" />
      <Tab label="Work in progress" value="/record/work" component={Link} to="/record/work" />
    </Tabs>
  );
}
