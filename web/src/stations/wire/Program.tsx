import { useQuery } from "@tanstack/react-query";
import { api, ask } from "../../api/client";
import { keys } from "../../api/keys";
import { say } from "../../hooks/notice";
import { usePlace } from "../../hooks/place";
import { useAddress } from "../../hooks/useAddress";
import { saveText } from "../../plot/saveSvg";
import styles from "./Program.module.css";
import shared from "./shared.module.css";

const TITLES: Record<string, string> = { cpp: "C++", python: "Python" };

/** The program that streams this rig's raw readings, to copy or take along. */
export function Program() {
  const { rig } = usePlace();
  const { search, put } = useAddress();
  const runs = rig.rig.board.programs;
  const wanted = search.get("language") ?? "";
  const language = runs.includes(wanted) ? wanted : (runs[0] ?? "");
  const program = useQuery({
    queryKey: keys.program(rig.slug, rig.revision, language),
    queryFn: () =>
      ask(api.GET("/api/rigs/{slug}/program", { params: { path: { slug: rig.slug }, query: { language } } })),
    retry: false,
  });
  const copy = async () => {
    if (!program.data) return;
    try {
      await navigator.clipboard.writeText(program.data.text);
      say({ text: "The program is on the clipboard.", tone: "said" });
    } catch {
      say({ text: "The browser does not let the clipboard be used: take the download.", tone: "fault" });
    }
  };
  const lines = program.data?.text.split("\n").length ?? 0;
  return (
    <>
      <div className={shared.wireBoard}>
        {runs.map((run) => (
          <button
            key={run}
            type="button"
            className="act"
            aria-pressed={run === language}
            onClick={() => put({ language: run })}
          >
            {TITLES[run] ?? run}
          </button>
        ))}
        <span>{program.data && `${program.data.name}, ${lines} lines, 115 200 baud`}</span>
        <span className="spring" />
        <button type="button" className="act" disabled={!program.data} onClick={() => void copy()}>
          Copy
        </button>
        <button
          type="button"
          className="act"
          disabled={!program.data}
          onClick={() => program.data && saveText(program.data.text, program.data.name, "text/plain")}
        >
          Download program
        </button>
      </div>
      <p className="caution">
        Hold the pin numbers against the print on your board, and the registers against the part's own sheet. Wheels off
        the ground for the first run.
      </p>
      {program.isError ? (
        <p className="empty">{program.error.message}</p>
      ) : (
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a long text that scrolls must be reachable by keys
        <pre className={styles.program} tabIndex={0}>
          {program.data?.text ?? "Writing it …"}
        </pre>
      )}
    </>
  );
}
