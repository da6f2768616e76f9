import { useQuery } from "@tanstack/react-query";
import { Dropdown } from "react-bootstrap";
import { api, ask, type Opened } from "../../api/client";
import { keys } from "../../api/keys";
import { usePlace } from "../../hooks/place";
import styles from "./LaneChoice.module.css";

interface Props {
  shown: Opened["shown"];
  chosen: string[];
  stone: number | undefined;
}

/** How many lanes there are, in words. */
export const lanesCounted = (count: number) => (count === 1 ? "One lane" : `${count} lanes`);

/** Which channels are lanes, raw or converted, and by which constants they are converted. */
export function LaneChoice({ shown, chosen, stone }: Props) {
  const place = usePlace();
  const stones = useQuery({
    queryKey: keys.stones(place.rig.slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/stones", { params: { path: { slug: place.rig.slug } } })),
  });
  const turn = (id: string) => {
    const next = chosen.includes(id) ? chosen.filter((one) => one !== id) : [...chosen, id];
    const inOrder = shown.map((one) => one.id).filter((one) => next.includes(one));
    if (inOrder.length) place.show({ show: inOrder.join(",") });
  };
  return (
    <>
      <Dropdown autoClose="outside">
        <Dropdown.Toggle as="button" type="button" className="act">
          {lanesCounted(chosen.length)}
        </Dropdown.Toggle>
        <Dropdown.Menu className={styles.laneMenu}>
          {shown.map((one) => (
            <label key={one.id} className={one.channel ? styles.rawLane : undefined}>
              <input type="checkbox" checked={chosen.includes(one.id)} onChange={() => turn(one.id)} />
              {one.title}
              {one.unit && <small> {one.unit}</small>}
            </label>
          ))}
        </Dropdown.Menu>
      </Dropdown>
      {(stones.data?.stones.length ?? 0) > 0 && (
        <label className="by-stone">
          converted{" "}
          <select
            aria-label="Constants to convert with"
            value={stone ?? ""}
            onChange={(event) => place.show({ stone: event.target.value || null })}
          >
            <option value="">with today’s constants</option>
            {stones.data?.stones.map((one) => (
              <option key={one.number} value={one.number}>
                as of stone {one.number}
              </option>
            ))}
          </select>
        </label>
      )}
    </>
  );
}
