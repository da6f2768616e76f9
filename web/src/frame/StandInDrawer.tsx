import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useState } from "react";
import { Form, Offcanvas } from "react-bootstrap";
import { api, ask, type Schemas } from "../api/client";
import { useBench, useLength } from "../hooks/bench";
import { figure, lengthText, THIN } from "../model/format";
import { lengthInto } from "../model/units";
import { NumberField } from "../ui/NumberField";

const FAULTS: Record<string, string> = {
  zeros: "Zeros: a third of the echoes are lost",
  spikes: "Spikes: echoes of something else",
  garbled: "Garbled lines",
  unplug: "Unplugged",
};

type Change = Partial<Schemas["HandsAsked"]>;

/** The hands of the person at the simulated bench. Marked as such: nothing here reaches a fit. */
export function StandInDrawer({ show, onHide }: { show: boolean; onHide: () => void }) {
  const bench = useBench();
  const length = useLength();
  const queries = useQueryClient();
  const hands = useQuery({
    queryKey: ["standin"],
    queryFn: () => ask(api.GET("/api/standin")),
    enabled: show,
    refetchInterval: show ? 1000 : false,
  });
  const move = async (change: Change) => {
    queries.setQueryData<Schemas["HandsModel"]>(
      ["standin"],
      (old) => old && { ...old, hands: { ...old.hands, ...change } },
    );
    const moved = await bench.attempt(ask(api.PATCH("/api/standin", { body: change })));
    if (moved) queries.setQueryData(["standin"], moved);
    else void queries.invalidateQueries({ queryKey: ["standin"] });
  };
  const now = hands.data?.hands as Required<Change> | undefined;
  return (
    <Offcanvas
      show={show}
      onHide={onHide}
      placement="end"
      scroll
      backdrop={false}
      className="hands"
      aria-label="Stand-in"
    >
      <Offcanvas.Header closeButton>
        <Offcanvas.Title as="h2">The stand-in’s hands</Offcanvas.Title>
      </Offcanvas.Header>
      <Offcanvas.Body>
        <p>A simulated bench in place of a real one. It places the target about as well as a hand does.</p>
        {now && (
          <>
            <Slider
              label="Target by the ruler"
              value={now.target_mm ?? 0}
              low={50}
              high={2500}
              step={10}
              text={(v) => lengthText(v, length)}
              onChange={(target_mm) => void move({ target_mm })}
            />
            <NumberField
              label="Put it at"
              value={now.target_mm ?? 0}
              unit="mm"
              into={lengthInto(length)}
              low={20}
              high={6000}
              onChange={(target_mm) => void move({ target_mm })}
            />
            <Slider
              label="Air"
              value={now.temperature_c ?? 0}
              low={-10}
              high={45}
              step={0.5}
              text={(v) => `${figure(v, 1)}${THIN}°C`}
              onChange={(temperature_c) => void move({ temperature_c })}
            />
            <Slider
              label="Surface sends back"
              value={now.reflectivity ?? 0}
              low={0.05}
              high={1}
              step={0.05}
              text={(v) => `${figure(v * 100, 0)}${THIN}%`}
              onChange={(reflectivity) => void move({ reflectivity })}
            />
            <Slider
              label="Target moves at"
              value={now.drift_mm_s ?? 0}
              low={-400}
              high={400}
              step={20}
              text={(v) => `${figure(v, 0)}${THIN}mm/s`}
              onChange={(drift_mm_s) => void move({ drift_mm_s })}
            />
            <fieldset>
              <legend>Faults</legend>
              {hands.data?.faults.map((fault) => (
                <Form.Check
                  key={fault}
                  type="switch"
                  id={`fault-${fault}`}
                  label={FAULTS[fault] ?? fault}
                  checked={now.faults?.includes(fault) ?? false}
                  onChange={(event) =>
                    void move({
                      faults: event.target.checked
                        ? [...(now.faults ?? []), fault]
                        : (now.faults ?? []).filter((one) => one !== fault),
                    })
                  }
                />
              ))}
            </fieldset>
          </>
        )}
      </Offcanvas.Body>
    </Offcanvas>
  );
}

interface SliderProps {
  label: string;
  value: number;
  low: number;
  high: number;
  step: number;
  text: (value: number) => string;
  onChange: (value: number) => void;
}

function Slider({ label, value, low, high, step, text, onChange }: SliderProps) {
  const id = useId();
  const [held, setHeld] = useState<number | null>(null);
  useEffect(() => {
    if (held === null) return;
    const timer = setTimeout(() => {
      onChange(held);
      setHeld(null);
    }, 150);
    return () => clearTimeout(timer);
  });
  const now = held ?? value;
  return (
    <div className="slider">
      <label htmlFor={id}>
        {label} <b>{text(now)}</b>
      </label>
      <input
        id={id}
        type="range"
        min={low}
        max={high}
        step={step}
        value={now}
        onChange={(event) => setHeld(Number(event.target.value))}
      />
    </div>
  );
}
