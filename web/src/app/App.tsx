import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useCallback, useState } from "react";
import { Navigate, Route, Routes, useLocation } from "react-router";

import { Entrance } from "../accounts/Entrance";
import { api, ask, sentenceOf } from "../api/client";
import { SongList } from "../songs/SongList";
import { Notice, Press, Waiting } from "../ui/controls";
import { Toasts } from "../ui/Toasts";
import { Find } from "./Find";
import { KeySheet } from "./KeySheet";
import { useHelpAsked, useKey } from "../ui/keys";
import { Resume, Shell } from "./Shell";
import { Pictures } from "./Pictures";
import { turnTheme } from "../ui/theme-choice";

const RouteStep = lazy(() => import("../steps/route/RouteStep"));
const TimeStep = lazy(() => import("../steps/time/TimeStep"));
const SpaceStep = lazy(() => import("../steps/space/SpaceStep"));
const BlendStep = lazy(() => import("../steps/blend/BlendStep"));
const ListenStep = lazy(() => import("../steps/listen/ListenStep"));
const VerifyStep = lazy(() => import("../steps/verify/VerifyStep"));
const RigsPage = lazy(() => import("../rigs/RigsPage"));
const ResultPage = lazy(() => import("../steps/verify/ResultPage"));
const ManyPage = lazy(() => import("../steps/verify/ManyPage"));
const PathsPage = lazy(() => import("../steps/verify/PathsPage"));
const OrdersPage = lazy(() => import("../steps/verify/OrdersPage"));
const LivePage = lazy(() => import("../steps/verify/LivePage"));
const PassesPage = lazy(() => import("../steps/verify/PassesPage"));
const LogStep = lazy(() => import("../steps/log/LogStep"));
const ProofPage = lazy(() => import("../steps/verify/ProofPage"));
const BenchPage = lazy(() => import("../steps/verify/bench/BenchPage"));
const SheetPage = lazy(() => import("../stage/SheetPage"));
const SetListsPage = lazy(() => import("../stage/list/SetListsPage"));
const SetListPage = lazy(() => import("../stage/list/SetListPage"));
const StagePage = lazy(() => import("../stage/list/StagePage"));
const SharePage = lazy(() => import("../share/SharePage"));
const SharedPage = lazy(() => import("../share/SharedPage"));
const ScriptsPage = lazy(() => import("../accounts/ScriptsPage"));
const SetUpPage = lazy(() => import("../stage/SetUpPage"));
const MeasuredPage = lazy(() => import("../steps/verify/bench/MeasuredPage"));

export function useSession() {
  return useQuery({
    queryKey: ["session"],
    queryFn: () => ask(api.GET("/api/v1/session")),
    staleTime: 60_000,
  });
}

export function App() {
  // Whoever was given a link needs no account, and nothing else of this application.
  const { pathname } = useLocation();
  return pathname.startsWith("/shared/") ? (
    <Suspense fallback={<Waiting />}>
      <Routes>
        <Route path="/shared/:token" element={<SharedPage />} />
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
      <Toasts />
    </Suspense>
  ) : (
    <Studio />
  );
}

function Studio() {
  const session = useSession();
  const [keysShown, setKeysShown] = useState(false);
  useKey("everywhere", "?", () => setKeysShown(true));
  useHelpAsked(useCallback(() => setKeysShown(true), []));
  useKey("everywhere", "G", turnTheme);
  if (session.isPending) return <Waiting />;
  if (session.isError) {
    return (
      <Box padding="20px" maxWidth="640px">
        <Notice
          kind="fault"
          word="No answer."
          actions={<Press onClick={() => void session.refetch()}>Try again</Press>}
        >
          {sentenceOf(session.error)}
        </Notice>
      </Box>
    );
  }
  return (
    <>
      {session.data.name === null ? (
        <Entrance demo={session.data.demo_available} />
      ) : (
        <Suspense fallback={<Waiting />}>
          <Routes>
            <Route
              path="/"
              element={
                <>
                  <SongList session={session.data} />
                  <Find song={null} />
                </>
              }
            />
            <Route path="/songs/:songId/variants/:variantId/sheet" element={<SheetPage />} />
            <Route path="/songs/:songId/variants/:variantId/set-up" element={<SetUpPage />} />
            <Route path="/scripts" element={<ScriptsPage />} />
            <Route path="/set-lists" element={<SetListsPage />} />
            <Route path="/set-lists/:listId" element={<SetListPage />} />
            <Route path="/set-lists/:listId/stage" element={<StagePage />} />
            <Route path="/songs/:songId" element={<Shell />}>
              <Route index element={<Resume />} />
              <Route path="route" element={<RouteStep />} />
              <Route path="time/:tool?" element={<TimeStep />} />
              <Route path="space/:tool?" element={<SpaceStep />} />
              <Route path="blend/:tool?" element={<BlendStep />} />
              <Route path="listen" element={<ListenStep />} />
              <Route path="rigs" element={<RigsPage />} />
              <Route path="verify" element={<VerifyStep />} />
              <Route path="verify/many" element={<ManyPage />} />
              <Route path="verify/paths" element={<PathsPage />} />
              <Route path="verify/orders" element={<OrdersPage />} />
              <Route path="verify/live" element={<LivePage />} />
              <Route path="verify/passes" element={<PassesPage />} />
              <Route path="verify/bench/:kind?" element={<BenchPage />} />
              <Route path="verify/measured" element={<Navigate to="../verify/bench" replace />} />
              <Route path="verify/measured/:measurementId" element={<MeasuredPage />} />
              <Route path="verify/measured/:measurementId/proof" element={<ProofPage />} />
              <Route path="verify/:testId" element={<ResultPage />} />
              <Route path="verify/:testId/proof" element={<ProofPage />} />
              <Route path="share" element={<SharePage />} />
              <Route path="log" element={<LogStep />} />
            </Route>
            <Route path="*" element={<Navigate to="/" replace />} />
          </Routes>
        </Suspense>
      )}
      <Pictures />
      {keysShown && <KeySheet onClose={() => setKeysShown(false)} />}
      <Toasts />
    </>
  );
}
