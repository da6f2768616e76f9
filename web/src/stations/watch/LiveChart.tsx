import { useEffect, useState } from "react";
import { useRecordingMarks } from "../../frame/useRecordingMarks";
import { useLive, useNow } from "../../hooks/live";
import { usePlace } from "../../hooks/place";
import { useSettings } from "../../hooks/settings";
import { concerning } from "../../model/findings";
import { into } from "../../model/units";
import { Chart, type ChartData } from "../../plot/Chart";
import { paceMs } from "../../plot/pace";

const LOOK_BACK_S = 20;

/** The selected sensor over the last seconds, with the marks of the running recording. */
export function LiveChart() {
  const now = useNow();
  const settings = useSettings();
  const { feed, frozen } = useLive();
  const { sensor } = usePlace();
  const [data, setData] = useState<ChartData>({ t: [], low: [], high: [] });
  const marks = useRecordingMarks();
  const faults = concerning(now.findings, sensor.id).map((finding) => ({
    t0: finding.start_s,
    t1: finding.end_s,
    label: finding.kind,
    fault: true,
  }));
  useEffect(() => {
    if (frozen) return;
    const draw = () => {
      const { t, v } = feed.buffer(sensor.id);
      const end = t[t.length - 1] ?? 0;
      let first = t.length;
      while (first > 0 && (t[first - 1] ?? 0) > end - LOOK_BACK_S) first--;
      const values = v.slice(first);
      setData({ t: t.slice(first), low: values, high: values });
    };
    draw();
    const timer = setInterval(draw, paceMs(125));
    return () => clearInterval(timer);
  }, [feed, sensor.id, frozen]);
  const way = into(sensor.unit, sensor.quantity, settings);
  const straight = way.unit !== "%"; // a grade is no multiple of an angle: the chart stays in degrees
  const per = straight ? way.back(1) : 1;
  return (
    <Chart
      data={data}
      marks={[...marks, ...faults]}
      unit={straight ? way.unit : sensor.unit}
      per={per}
      decimals={per === 1 ? Math.max(1, sensor.digits) : 2}
      floor={(sensor.high - sensor.low) / 100 / per}
      theme={String(settings.night)}
      label={`${sensor.name}, the last ${LOOK_BACK_S} seconds`}
    />
  );
}
