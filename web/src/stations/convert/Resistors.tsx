import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, ask, Refused, type Schemas } from "../../api/client";
import { keys } from "../../api/keys";
import { useAddress } from "../../hooks/useAddress";
import { figure, ohms, THIN } from "../../model/format";
import { BAND_COLOURS } from "../../model/harness";
import { NumberField } from "../../ui/NumberField";
import { Divider, Led, PullUp } from "./circuits";
import { Head, Say } from "./Head";
import styles from "./Resistors.module.css";
import shared from "./shared.module.css";

type Decoded = Schemas["ResistorDecodeResult"];

const USUAL = "red,red,brown,gold";
/** What a new band is until a person says otherwise. */
const TAILS: Record<number, string[]> = { 3: [], 4: ["gold"], 5: ["brown"], 6: ["brown", "brown"] };

/** Colours and values, and the circuits that a bench asks for most: divider, LED, pull-up. */
export function Resistors({ first }: { first: ReactNode }) {
  const { bands, decoded, fault, show, encode, recount } = useBands();
  const read = decoded.isError ? undefined : decoded.data;
  return (
    <>
      <Head
        verdict={decoded.isError ? decoded.error.message : read ? heading(bands, read) : "Reading the bands"}
        first={first}
        next={
          <Say>
            {read?.other_way_ohm != null && read.other_way_ohm !== read.ohms
              ? `read from the other end it would be ${ohms(read.other_way_ohm)}; the wider gap is before the last band. A meter decides.`
              : "choose the colours, or type the value."}
          </Say>
        }
      />
      <div className={styles.resistorBench}>
        <Drawn bands={bands} />
        <BandChoices bands={bands} choices={read?.choices ?? []} onShow={show} />
        <div className={styles.bandRow}>
          <NumberField
            label="Value"
            value={read?.ohms ?? 0}
            unit="Ω"
            low={0.01}
            high={99.9e9}
            onChange={(value) => void encode(value)}
          />
          <fieldset className={shared.askChoice}>
            <legend>Bands</legend>
            {[3, 4, 5, 6].map((count) => (
              <button
                key={count}
                type="button"
                className="act"
                aria-pressed={bands.length === count}
                onClick={() => recount(count)}
              >
                {count}
              </button>
            ))}
          </fieldset>
          {fault && (
            <span className="field-fault" role="alert">
              {fault}
            </span>
          )}
        </div>
      </div>
      <div className={styles.circuits}>
        <Divider />
        <Led />
        <PullUp />
      </div>
    </>
  );
}

/** The bands in the address, read; and other bands: as chosen, for a value, or in another number. */
function useBands() {
  const { search, put } = useAddress();
  const bands = (search.get("bands") ?? USUAL).split(",");
  const [fault, setFault] = useState("");
  const decoded = useQuery({
    queryKey: keys.calculation("resistor-decode", bands),
    queryFn: () => ask(api.POST("/api/calc/resistor-decode", { body: { colours: bands } })),
    placeholderData: (old) => old,
  });
  const read = decoded.isError ? undefined : decoded.data;
  const show = (colours: string[]) => {
    setFault("");
    put({ bands: colours.join(",") });
  };
  const encode = async (value: number) => {
    const count = bands.length;
    try {
      const body = {
        ohms: value,
        bands: count as 3 | 4 | 5 | 6,
        tolerance_pct: count === 3 ? 5 : (read?.tolerance_pct ?? 5),
        ppm_per_k: read?.ppm_per_k ?? 100,
      };
      show((await ask(api.POST("/api/calc/resistor-code", { body }))).colours);
    } catch (error) {
      setFault(error instanceof Refused ? error.message : "That was not understood.");
    }
  };
  const recount = (count: number) => {
    const digits = count < 5 ? 2 : 3;
    const tail = TAILS[count] ?? [];
    if (!read) return show(USUAL.split(","));
    const body = { ohms: read.ohms, bands: count as 3 | 4 | 5 | 6, tolerance_pct: count < 5 ? 5 : 1, ppm_per_k: 100 };
    ask(api.POST("/api/calc/resistor-code", { body })).then(
      (made) => show(made.colours),
      () => show([...bands.slice(0, digits), bands[bands.length < 5 ? 2 : 3] ?? "black", ...tail]),
    );
  };
  return { bands, decoded, fault, show, encode, recount };
}

interface BandChoicesProps {
  bands: string[];
  choices: Decoded["choices"];
  onShow: (bands: string[]) => void;
}

function BandChoices({ bands, choices, onShow }: BandChoicesProps) {
  return (
    <div className={styles.bandRow}>
      {choices.map((colours, place) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a band is known by its place
        <label key={place} className={styles.bandChoice}>
          <span>band {place + 1}</span>
          <select
            value={bands[place]}
            onChange={(event) => onShow(bands.map((band, i) => (i === place ? event.target.value : band)))}
          >
            {colours.map((band) => (
              <option key={band.colour} value={band.colour}>
                {band.colour} {band.meaning}
              </option>
            ))}
          </select>
        </label>
      ))}
    </div>
  );
}

function heading(bands: string[], read: Decoded): string {
  const spread = read.tolerance_pct === null ? "" : ` ±${THIN}${read.tolerance_pct}${THIN}%`;
  const drift = read.ppm_per_k === null ? "" : `, ${figure(read.ppm_per_k, 0)}${THIN}ppm/K`;
  const name = bands.join(", ");
  return `${name.charAt(0).toUpperCase()}${name.slice(1)} is ${ohms(read.ohms)}${spread}${drift}`;
}

/** The resistor as it lies on the bench; the last band stands apart. */
function Drawn({ bands }: { bands: string[] }) {
  const last = bands.length - 1;
  const x = (place: number) => (bands.length > 3 && place === last ? 402 : 128 + place * (bands.length > 4 ? 48 : 58));
  return (
    <svg
      className={styles.drawnResistor}
      viewBox="0 0 560 132"
      role="img"
      aria-label={`A resistor: ${bands.join(", ")}`}
    >
      <line x1="0" x2="560" y1="56" y2="56" className={styles.lead} />
      <path
        d="M92 56C92 16 108 12 136 12C160 12 164 22 184 22H376C396 22 400 12 424 12C452 12 468 16 468 56C468 96 452 100 424 100C400 100 396 90 376 90H184C164 90 160 100 136 100C108 100 92 96 92 56Z"
        className={styles.body}
      />
      {bands.map((band, place) => {
        const wide = x(place) < 170 || x(place) > 390;
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: a band is known by its place
          <g key={place}>
            <rect
              x={x(place)}
              y={wide ? 13 : 22}
              width="24"
              height={wide ? 86 : 68}
              fill={BAND_COLOURS[band]}
              className={styles.band}
            />
            <text x={x(place) + 12} y="124" textAnchor="middle">
              {band}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
