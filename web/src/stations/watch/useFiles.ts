import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas, type Whole } from "../../api/client";
import { keys } from "../../api/keys";
import { renew } from "../../api/renew";
import { say } from "../../hooks/notice";
import { usePlace } from "../../hooks/place";
import { FORGET } from "../../model/address";

export type BenchFile = Whole<Schemas["FileModel"]>;

interface Sending {
  name: string;
  done: number;
  stop: () => void;
}

const POLL_MS = 300;
export const isBusy = (file: BenchFile) => file.state === "waiting" || file.state === "running";

/** The files on the rig's bench, those that are being handed over, and how to hand over more. */
export function useFiles() {
  const place = usePlace();
  const { slug } = place.rig;
  const queries = useQueryClient();
  const [sending, setSending] = useState<Sending[]>([]);
  const files = useQuery({
    queryKey: keys.files(slug),
    queryFn: () => ask(api.GET("/api/rigs/{slug}/files", { params: { path: { slug } } })),
    refetchInterval: (query) => (query.state.data?.some(isBusy) ? POLL_MS : false),
  });
  const hand = async (chosen: File[], byHand = false) => {
    for (const file of chosen) {
      const sent = await send(slug, file, byHand, (now) =>
        setSending((all) => [...all.filter((other) => other.name !== file.name), now]),
      );
      setSending((all) => all.filter((other) => other.name !== file.name));
      if ("message" in sent) {
        if (sent.message) say({ text: `${file.name}: ${sent.message}`, tone: "fault" });
        continue;
      }
      await renew(queries, keys.files(slug));
      place.go("watch", { ...FORGET, view: "import", file: String(sent.id) });
    }
  };
  return { files: files.data ?? [], sending, hand };
}

/** Hand one file over. The browser's older way of asking is used because it tells how far it is. */
function send(
  slug: string,
  file: File,
  byHand: boolean,
  tell: (now: Sending) => void,
): Promise<{ id: number } | { message: string }> {
  return new Promise((resolve) => {
    const call = new XMLHttpRequest();
    const stop = () => call.abort();
    tell({ name: file.name, done: 0, stop });
    call.upload.onprogress = (event) => tell({ name: file.name, done: event.loaded / Math.max(1, file.size), stop });
    call.onabort = () => resolve({ message: "" });
    call.onerror = () => resolve({ message: "Tick Stone itself does not answer; the file was not handed over." });
    call.onload = () => {
      let answer: { id?: number; message?: string } = {};
      try {
        answer = JSON.parse(call.responseText);
      } catch {
        // said below
      }
      resolve(
        answer.id !== undefined
          ? { id: answer.id }
          : { message: answer.message ?? `The server said ${call.status}; the file was not handed over.` },
      );
    };
    const modified = new Date(file.lastModified).toISOString();
    const query = new URLSearchParams({ name: file.name, modified, by_hand: String(byHand) });
    call.open("POST", `/api/rigs/${slug}/files?${query}`);
    call.setRequestHeader("Content-Type", "application/octet-stream");
    call.send(file);
  });
}
