import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useId, useRef, useState } from "react";
import { Form, Offcanvas } from "react-bootstrap";
import { api, ask, type Schemas } from "../api/client";
import { keys } from "../api/keys";
import { renew } from "../api/renew";
import { useAct } from "../hooks/act";
import { usePlace } from "../hooks/place";
import { useSettings } from "../hooks/settings";
import { useTrack } from "../hooks/useTrack";
import { figure, plainDecimals, THIN } from "../model/format";
import { into } from "../model/units";
import { NumberField } from "../ui/NumberField";
import { SensorMenu } from "../ui/SensorMenu";
import switches from "../ui/switches.module.css";
import styles from "./StandInDrawer.module.css";

type Hand = Schemas["HandModel"];
const EXACT = ["target_mm", "line_mm", "nose_up_deg", "left_up_deg"]; // worth typing: what a ruler or a level says

/** The hands of the person at the simulated bench: the room, the selected sensor, and faults to switch on. Marked as the
 * stand-in's: nothing here reaches a fit. */
export function StandInDrawer({ show, onHide }: { show: boolean; onHide: () => void }) {
  const place = usePlace();
  const act = useAct();
  const queries = useQueryClient();
  const { slug } = place.rig;
  const path = { params: { path: { slug } } };
  const key = keys.hands(slug);
  const hands = useQuery({
    queryKey: key,
    queryFn: () => ask(api.GET("/api/rigs/{slug}/standin", path)),
    enabled: show,
    refetchInterval: show ? 1000 : false,
  });
  const last = useRef<Promise<unknown>>(Promise.resolve()); // what was asked later must not be overtaken
  const showHands = async (change: (old: Hand[] | undefined) => Hand[] | undefined) => {
    await queries.cancelQueries({ queryKey: key }); // an answer on its way tells how it was before
    queries.setQueryData<Hand[]>(key, change);
  };
  const move = async (id: string, value: number) => {
    void showHands((old) => old?.map((hand) => (hand.id === id ? { ...hand, value } : hand)));
    const asked = last.current.then(async () => {
      const body = { hands: { [id]: value } };
      const moved = await ask(api.PATCH("/api/rigs/{slug}/standin", { ...path, body }));
      await showHands(() => moved);
      return true;
    });
    last.current = asked.catch(() => null);
    if (!(await act.attempt(asked))) void renew(queries, key);
  };
  const of = (owner: string, fault: boolean) =>
    (hands.data ?? []).filter((hand) => hand.owner === owner && hand.fault === fault);
  const line = (hand: Hand) => <HandLine key={hand.id} hand={hand} onChange={(value) => void move(hand.id, value)} />;
  return (
    <Offcanvas
      show={show}
      onHide={onHide}
      placement="end"
      scroll
      backdrop={false}
      className={`${styles.hands} ${switches.switches}`}
      aria-label="Stand-in"
    >
      <Offcanvas.Header closeButton>
        <Offcanvas.Title as="h2">The stand-in’s hands</Offcanvas.Title>
      </Offcanvas.Header>
      <Offcanvas.Body>
        <p>A simulated bench in place of a real one, about as exact as hands are.</p>
        {show && <Track />}
        {hands.data && (
          <>
            <SensorMenu label="Sensor at the stand-in" />
            {of(place.sensor.id, false).map(line)}
            <Faults title={`Faults of the ${place.sensor.name}`}>{of(place.sensor.id, true).map(line)}</Faults>
            <h3>The room</h3>
            {of("room", false).map(line)}
            <Faults title="Faults of the board and its wire">{of("board", true).map(line)}</Faults>
          </>
        )}
      </Offcanvas.Body>
    </Offcanvas>
  );
}

/** What the stand-in does on the track: there what moves its sensors is the vehicle, and no hand. */
function Track() {
  const place = usePlace();
  const act = useAct();
  const track = useTrack();
  const { slug } = place.rig;
  if (!track.data) return null;
  const { behaviour, world, x_mm, y_mm, fell } = track.data;
  const at = `${figure(x_mm, 0)}, ${figure(y_mm, 0)}${THIN}mm`;
  return (
    <p>
      On the track: {behaviour} in {String(world.name)}, {fell ? "fallen" : `at ${at}`}.{" "}
      <button
        type="button"
        className="act"
        onClick={() =>
          void act.attempt(
            ask(api.DELETE("/api/rigs/{slug}/drive/track", { params: { path: { slug } } })),
            "The stand-in is back on the bench.",
          )
        }
      >
        Back to the bench
      </button>
    </p>
  );
}

function Faults({ title, children }: { title: string; children: React.ReactNode[] }) {
  if (!children.length) return null;
  return (
    <fieldset>
      <legend>{title}</legend>
      {children}
    </fieldset>
  );
}

function HandLine({ hand, onChange }: { hand: Hand; onChange: (value: number) => void }) {
  const id = useId();
  const settings = useSettings();
  if (hand.fault) return <FaultSwitch hand={hand} onChange={onChange} />;
  if (hand.choices.length)
    return (
      <div className={styles.slider}>
        <label htmlFor={id}>{hand.label}</label>
        <select id={id} value={hand.value} onChange={(event) => onChange(Number(event.target.value))}>
          {hand.choices.map((title, value) => (
            <option key={title} value={value}>
              {title}
            </option>
          ))}
        </select>
      </div>
    );
  const share = hand.unit === "" && hand.high === 1;
  const way = into(hand.unit, hand.unit === "m/s" ? "speed" : "", settings);
  const text = (value: number) =>
    share
      ? `${figure(value * 100, 0)}${THIN}%`
      : `${figure(way.to(value), way.decimals ?? plainDecimals(Number(value.toFixed(2))))}${THIN}${way.unit}`;
  const [low, high] = reach(hand);
  return (
    <>
      <Slider
        label={hand.label}
        value={hand.value}
        low={low}
        high={high}
        step={hand.step}
        text={text}
        onChange={onChange}
      />
      {EXACT.includes(hand.name) && (
        <NumberField
          label="Set to"
          value={hand.value}
          unit={hand.unit}
          into={way}
          low={hand.low}
          high={hand.high}
          onChange={onChange}
        />
      )}
    </>
  );
}

/** A switch shows at once what was asked of it, and then what is so. */
function FaultSwitch({ hand, onChange }: { hand: Hand; onChange: (value: number) => void }) {
  const id = useId();
  const [asked, setAsked] = useState<number | null>(null);
  useEffect(() => {
    if (asked === null) return;
    const timer = setTimeout(() => setAsked(null), hand.value === asked ? 0 : 2000);
    return () => clearTimeout(timer);
  }, [asked, hand.value]);
  return (
    <Form.Check
      type="switch"
      id={id}
      label={hand.label}
      checked={(asked ?? hand.value) >= 0.5}
      onChange={(event) => {
        const value = event.target.checked ? 1 : 0;
        setAsked(value);
        onChange(value);
      }}
    />
  );
}

/** A slider covers what a bench sees; the rest can be typed. */
function reach(hand: Hand): [number, number] {
  if (hand.unit === "mm" && hand.high > 2500) return [Math.max(hand.low, 50), 2500];
  if (hand.unit === "°") return [Math.max(hand.low, -90), Math.min(hand.high, 90)];
  if (hand.unit === "rpm") return [Math.max(hand.low, -3000), Math.min(hand.high, 3000)];
  if (hand.unit === "V") return [0, Math.min(hand.high, 13)];
  return [hand.low, hand.high];
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
    <div className={styles.slider}>
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
