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
    const next = chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id];
    const inOrder = shown.map((lane) => lane.id).filter((id) => next.includes(id));
    if (inOrder.length) place.show({ show: inOrder.join(",") });
  };
  return (
    <>
      <Dropdown autoClose="outside">
        <Dropdown.Toggle as="button" type="button" className="act">
          {lanesCounted(chosen.length)}
        </Dropdown.Toggle>
        <Dropdown.Menu className={styles.laneMenu}>
          {shown.map((lane) => (
            <label key={lane.id} className={lane.channel ? styles.rawLane : undefined}>
              <input type="checkbox" checked={chosen.includes(lane.id)} onChange={() => turn(lane.id)} />
              {lane.title}
              {lane.unit && <small> {lane.unit}</small>}
            </label>
          ))}
        </Dropdown.Menu>
      </Dropdown>
      {(stones.data?.stones.length ?? 0) > 0 && (
        <label>
          converted{" "}
          <select
            aria-label="Constants to convert with"
            value={stone ?? ""}
            onChange={(event) => place.show({ stone: event.target.value || null })}
          >
            <option value="">with today’s constants</option>
            {stones.data?.stones.map((stone) => (
              <option key={stone.number} value={stone.number}>
                as of stone {stone.number}
              </option>
            ))}
          </select>
        </label>
      )}
    </>
  );
}
