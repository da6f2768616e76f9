import { type ReactNode, useRef, useState } from "react";
import styles from "./DropFiles.module.css";

interface Props {
  label: string;
  choose: string;
  first: boolean;
  many?: boolean;
  tall?: boolean;
  onFiles: (files: File[]) => void;
  children: ReactNode;
}

/** A place to drop files on, with a button that does the same; ``first`` fills the button. */
export function DropFiles({ label, choose, first, many = false, tall = false, onFiles, children }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the button inside does the same from the keyboard
    <div
      className={`${styles.drop}${over ? ` ${styles.over}` : ""}${tall ? ` ${styles.tall}` : ""}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        onFiles([...event.dataTransfer.files]);
      }}
    >
      <button type="button" className={`act${first ? " act-first" : ""}`} onClick={() => input.current?.click()}>
        {choose}
      </button>
      <span>{children}</span>
      <input
        ref={input}
        type="file"
        multiple={many}
        aria-label={label}
        className="visually-hidden"
        tabIndex={-1}
        onChange={(event) => {
          onFiles([...(event.target.files ?? [])]);
          event.target.value = ""; // the same file, mended, can be chosen again
        }}
      />
    </div>
  );
}
