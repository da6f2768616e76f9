import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import { Navigate, Route, Routes, useParams } from "react-router";
import { api, ask } from "./api/client";
import { Frame } from "./frame/Frame";
import { BenchProvider } from "./hooks/bench";
import { LiveFeed } from "./model/live";
import { isStation, type StationId } from "./model/stations";
import { Calibrate } from "./stations/calibrate/Calibrate";
import { Convert } from "./stations/convert/Convert";
import { LooseConvert } from "./stations/convert/LooseConvert";
import { Drive } from "./stations/Drive";
import { Decide } from "./stations/decide/Decide";
import { Log } from "./stations/Log";
import { Rigs } from "./stations/Rigs";
import { Watch } from "./stations/watch/Watch";
import { Wire } from "./stations/wire/Wire";

const SCREENS: Record<StationId, () => React.ReactNode> = {
  wire: Wire,
  watch: Watch,
  convert: Convert,
  calibrate: Calibrate,
  decide: Decide,
  drive: Drive,
  log: Log,
};

export function App() {
  return (
    <Routes>
      <Route path="/" element={<Home />} />
      <Route path="/rigs" element={<Rigs />} />
      <Route path="/convert" element={<LooseConvert />} />
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
  const rigs = useQuery({ queryKey: ["rigs"], queryFn: () => ask(api.GET("/api/rigs")) });
  const only = rigs.data?.length === 1 ? rigs.data[0] : undefined;
  return only ? <Navigate to={`/${only.slug}/wire`} replace /> : <Rigs />;
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
    queryKey: ["r", slug, "rig"],
    queryFn: () => ask(api.GET("/api/rigs/{slug}", { params: { path: { slug } } })),
  });
  if (!isStation(station)) return <Navigate to={`/${slug}/wire`} replace />;
  if (!rig.data) {
    return (
      <main className="rigs-page">
        <p className="wordmark">Tick Stone</p>
        <h1>{rig.isError ? rig.error.message : (rig.failureReason?.message ?? "Opening the rig")}</h1>
        <p>
          <a href="/rigs">All rigs</a>
        </p>
      </main>
    );
  }
  return (
    <BenchProvider rig={rig.data} feed={feed}>
      <Frame />
    </BenchProvider>
  );
}

function Station() {
  const { station } = useParams();
  const Screen = SCREENS[isStation(station) ? station : "wire"];
  return <Screen />;
}
