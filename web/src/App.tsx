import { useQuery } from "@tanstack/react-query";
import { Suspense, useEffect, useMemo } from "react";
import { Navigate, Route, Routes, useParams } from "react-router";
import { api, ask } from "./api/client";
import { keys } from "./api/keys";
import { useOutside } from "./api/outside";
import { Enter } from "./frame/Enter";
import { Frame } from "./frame/Frame";
import frame from "./frame/shared.module.css";
import { ActProvider } from "./hooks/act";
import { LiveProvider } from "./hooks/live";
import { PlaceProvider } from "./hooks/place";
import { LiveFeed } from "./model/live";
import { isStation } from "./model/stations";
import { bringTheRest, LooseConvert, Rigs, SCREENS } from "./stations/screens";

export function App() {
  if (useOutside()) return <Enter />;
  return (
    <Routes>
      <Route path="/" element={<Home />} />
      <Route path="/rigs" element={<Coming of={Rigs} />} />
      <Route path="/convert" element={<Coming of={LooseConvert} />} />
      <Route path="/:slug" element={<ToWire />} />
      <Route path="/:slug/:station" element={<OpenRig />}>
        <Route index element={<Station />} />
      </Route>
      <Route path="*" element={<Navigate to="/" replace />} />
    </Routes>
  );
}

/** One rig opens by itself; none or several are listed. */
function Home() {
  const rigs = useQuery({ queryKey: keys.rigs, queryFn: () => ask(api.GET("/api/rigs")) });
  const only = rigs.data?.length === 1 ? rigs.data[0] : undefined;
  return only ? <Navigate to={`/${only.slug}/wire`} replace /> : <Coming of={Rigs} />;
}

/** A screen whose code may still be on its way. */
function Coming({ of: Screen }: { of: React.ComponentType }) {
  return (
    <Suspense>
      <Screen />
    </Suspense>
  );
}

function ToWire() {
  const { slug } = useParams();
  return <Navigate to={`/${slug}/wire`} replace />;
}

function OpenRig() {
  const { slug = "", station } = useParams();
  const feed = useMemo(() => new LiveFeed(slug), [slug]);
  useEffect(() => {
    feed.open();
    return () => feed.close();
  }, [feed]);
  const rig = useQuery({
    queryKey: keys.stored(slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}", { params: { path: { slug } } })),
  });
  if (!isStation(station)) return <Navigate to={`/${slug}/wire`} replace />;
  if (!rig.data) {
    return (
      <main className={frame.rigsPage}>
        <p className={frame.wordmark}>Tick Stone</p>
        <h1>{rig.isError ? rig.error.message : (rig.failureReason?.message ?? "Opening the rig")}</h1>
        <p>
          <a href="/rigs">All rigs</a>
        </p>
      </main>
    );
  }
  return (
    <LiveProvider feed={feed}>
      <PlaceProvider rig={rig.data}>
        <ActProvider>
          <Frame />
        </ActProvider>
      </PlaceProvider>
    </LiveProvider>
  );
}

function Station() {
  const { station } = useParams();
  useEffect(() => {
    const idle = requestIdleCallback(bringTheRest);
    return () => cancelIdleCallback(idle);
  }, []);
  return <Coming of={SCREENS[isStation(station) ? station : "wire"]} />;
}
