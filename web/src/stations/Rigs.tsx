import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, ask, Refused } from "../api/client";

/** All rigs, and a new one. */
export function Rigs() {
  const rigs = useQuery({ queryKey: ["rigs"], queryFn: () => ask(api.GET("/api/rigs")) });
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [title, setTitle] = useState("");
  const [purpose, setPurpose] = useState("");
  const [fault, setFault] = useState("");
  const make = async (event: FormEvent) => {
    event.preventDefault();
    if (!title.trim()) return setFault("Give it a name first.");
    try {
      const rig = await ask(api.POST("/api/rigs", { body: { title, purpose, board: "small-5v" } }));
      await queries.invalidateQueries({ queryKey: ["rigs"] });
      navigate(`/${rig.slug}/wire`);
    } catch (error) {
      setFault(error instanceof Refused ? error.message : "The rig was not made.");
    }
  };
  const heading = rigs.isError
    ? rigs.error.message
    : !rigs.data
      ? "Looking for rigs"
      : rigs.data.length === 0
        ? "No rig yet: begin with one"
        : `${rigs.data.length} rig${rigs.data.length > 1 ? "s" : ""} on the bench`;
  return (
    <main className="rigs-page">
      <p className="wordmark">Tick Stone</p>
      <h1>{heading}</h1>
      <ul className="rig-list">
        {rigs.data?.map((rig) => (
          <li key={rig.slug}>
            <Link to={`/${rig.slug}/wire`}>
              <b>{rig.title}</b>
              <span>{rig.purpose}</span>
              <small>{rig.board}</small>
            </Link>
          </li>
        ))}
      </ul>
      <p>
        <Link to="/convert" className="act">
          Work out a number without a rig
        </Link>
      </p>
      <form onSubmit={make} noValidate>
        <h2>A new rig</h2>
        <p>It begins with a front ultrasonic ranger and an air temperature sensor on a 5 V 8-bit board.</p>
        <label htmlFor="rig-title">Name</label>
        <input
          id="rig-title"
          value={title}
          maxLength={60}
          onChange={(event) => setTitle(event.target.value)}
          aria-invalid={fault !== ""}
          aria-describedby="rig-fault"
        />
        <label htmlFor="rig-purpose">What it is</label>
        <input id="rig-purpose" value={purpose} maxLength={120} onChange={(event) => setPurpose(event.target.value)} />
        <p id="rig-fault" className="field-fault" role="alert">
          {fault}
        </p>
        <button type="submit" className="act">
          Begin
        </button>
      </form>
    </main>
  );
}
