/** Which page an address shows, and sign-in for those who are not. */
import { Box } from '@mui/material';
import { Suspense, lazy } from 'react';
import { Route, Routes, useLocation } from 'react-router';
import { Empty, Failed, Loading } from '../shared/States';
import { Page } from '../shared/Page';
import { Toasts } from '../shared/Toasts';
import { Shell } from './Shell';
import { useSession } from '../access/session';

const SignInPage = lazy(() => import('../access/SignInPage'));
const SetUpPage = lazy(() => import('../access/SetUpPage'));
const JoinPage = lazy(() => import('../access/JoinPage'));
const MessagesPage = lazy(() => import('../access/MessagesPage'));
const MessageTextsPage = lazy(() => import('../access/MessageTextsPage'));
const ForgotPage = lazy(() => import('../access/ForgotPage'));
const HeldBackPage = lazy(() => import('../access/HeldBackPage'));
const ResetPage = lazy(() => import('../access/ResetPage'));
const MembersPage = lazy(() => import('../access/MembersPage'));
const RecordPage = lazy(() => import('../access/RecordPage'));
const KeptPage = lazy(() => import('../access/KeptPage'));
const WorkPage = lazy(() => import('../tasks/WorkPage'));
const AccountPage = lazy(() => import('../access/AccountPage'));
const OverviewPage = lazy(() => import('../spend/OverviewPage'));
const OrganisationsPage = lazy(() => import('../organisations/OrganisationsPage'));
const OrganisationPage = lazy(() => import('./organisation/OrganisationPage'));
const CloudsPage = lazy(() => import('../organisations/CloudsPage'));
const HostsPage = lazy(() => import('../organisations/HostsPage'));
const SitesPage = lazy(() => import('../organisations/SitesPage'));
const QuotaMatrixPage = lazy(() => import('../organisations/QuotaMatrixPage'));
const OnboardingsPage = lazy(() => import('../subscriptions/OnboardingsPage'));
const OnboardingPage = lazy(() => import('../subscriptions/OnboardingPage'));
const PlansPage = lazy(() => import('../catalogue/PlansPage'));
const RateCardsPage = lazy(() => import('../catalogue/RateCardsPage'));
const UnpublishedChangesPage = lazy(() => import('../catalogue/UnpublishedChangesPage'));
const UnpublishedChangePage = lazy(() => import('../catalogue/UnpublishedChangePage'));
const DifferencesPage = lazy(() => import('../catalogue/DifferencesPage'));
const MarginsPage = lazy(() => import('../catalogue/MarginsPage'));
const EarnedPage = lazy(() => import('../spend/EarnedPage'));
const SpendPage = lazy(() => import('../spend/SpendPage'));
const SpecialTermsPage = lazy(() => import('../subscriptions/SpecialTermsPage'));
const EstimatePage = lazy(() => import('../rating/EstimatePage'));
const WhatIfPage = lazy(() => import('../rating/WhatIfPage'));
const UsagePage = lazy(() => import('../metering/UsagePage'));
const ResourcePage = lazy(() => import('../metering/ResourcePage'));
const FeedsPage = lazy(() => import('../metering/FeedsPage'));
const KindsPage = lazy(() => import('../metering/KindsPage'));
const OwnersPage = lazy(() => import('../metering/OwnersPage'));
const FeedBalancesPage = lazy(() => import('../spend/FeedBalancesPage'));
const TaxRatesPage = lazy(() => import('../billing/TaxRatesPage'));
const BillRunsPage = lazy(() => import('../billing/BillRunsPage'));
const InvoicesPage = lazy(() => import('../billing/InvoicesPage'));
const InvoicePage = lazy(() => import('../billing/InvoicePage'));

/** Pages for people who may have no sign-in yet. */
const OUTSIDE: Record<string, typeof JoinPage> = {
  '/join': JoinPage,
  '/reset': ResetPage,
  '/forgot': ForgotPage,
  '/set-up': SetUpPage,
};

export function App() {
  const session = useSession();
  const { pathname } = useLocation();
  // Links that are handed over are for people who may have no sign-in yet.
  const Outer = OUTSIDE[pathname];
  if (Outer)
    return (
      <Suspense fallback={null}>
        <Outer />
      </Suspense>
    );
  if (session.isError)
    return (
      <Box sx={{ p: 4 }}>
        <Failed error={session.error} retry={() => void session.refetch()} />
      </Box>
    );
  if (session.data === undefined) return null;
  if (session.data === null)
    return (
      <Suspense fallback={null}>
        <SignInPage />
      </Suspense>
    );
  if (!session.data.memberships.length && session.data.held_back.length)
    return (
      <Suspense fallback={null}>
        <HeldBackPage held={session.data.held_back} />
      </Suspense>
    );
  if (!session.data.memberships.length)
    return <Empty title="You are a member of no organisation">Ask an administrator to invite you.</Empty>;
  return (
    <Toasts>
      <Shell>
        <Suspense
          fallback={
            <Page title="Loading">
              <Loading />
            </Page>
          }
        >
          {session.data.memberships.some((each) => each.rights.includes('read')) ? (
            <Pages />
          ) : (
            // Who only sends readings sees nothing but the own account.
            <AccountPage />
          )}
        </Suspense>
      </Shell>
    </Toasts>
  );
}

function Pages() {
  return (
    <Routes>
      <Route path="/" element={<OverviewPage />} />
      <Route path="/organisations" element={<OrganisationsPage />} />
      <Route path="/organisations/:slug" element={<OrganisationPage />} />
      <Route path="/organisations/:slug/:tab" element={<OrganisationPage />} />
      <Route path="/clouds" element={<CloudsPage />} />
      <Route path="/clouds/:slug/hosts" element={<HostsPage />} />
      <Route path="/sites" element={<SitesPage />} />
      <Route path="/limits" element={<QuotaMatrixPage />} />
      <Route path="/onboardings" element={<OnboardingsPage />} />
      <Route path="/onboardings/new" element={<OnboardingPage />} />
      <Route path="/onboardings/:id" element={<OnboardingPage />} />
      <Route path="/plans" element={<PlansPage />} />
      <Route path="/rate-cards" element={<RateCardsPage />} />
      <Route path="/unpublished-changes" element={<UnpublishedChangesPage />} />
      <Route path="/unpublished-changes/:kind/:slug" element={<UnpublishedChangePage />} />
      <Route path="/differences" element={<DifferencesPage />} />
      <Route path="/margins" element={<MarginsPage />} />
      <Route path="/earned" element={<EarnedPage />} />
      <Route path="/spend" element={<SpendPage />} />
      <Route path="/special-terms" element={<SpecialTermsPage />} />
      <Route path="/estimate" element={<EstimatePage />} />
      <Route path="/what-if" element={<WhatIfPage />} />
      <Route path="/members" element={<MembersPage />} />
      <Route path="/record" element={<RecordPage />} />
      <Route path="/record/kept" element={<KeptPage />} />
      <Route path="/record/work" element={<WorkPage />} />
      <Route path="/record/messages" element={<MessagesPage />} />
      <Route path="/record/messages/texts" element={<MessageTextsPage />} />
      <Route path="/account" element={<AccountPage />} />
      <Route path="/usage" element={<UsagePage />} />
      <Route path="/usage/resource" element={<ResourcePage />} />
      <Route path="/feeds" element={<FeedsPage />} />
      <Route path="/kinds" element={<KindsPage />} />
      <Route path="/owners" element={<OwnersPage />} />
      <Route path="/feed-balances" element={<FeedBalancesPage />} />
      <Route path="/tax-rates" element={<TaxRatesPage />} />
      <Route path="/bill-runs" element={<BillRunsPage />} />
      <Route path="/invoices" element={<InvoicesPage />} />
      <Route path="/invoices/:id" element={<InvoicePage />} />
      <Route
        path="*"
        element={
          <Page title="There is nothing here">
            <Empty title="This address leads nowhere">Use the navigation to go on.</Empty>
          </Page>
        }
      />
    </Routes>
  );
}
