import type { ReactNode } from "react";
import styles from "./Wide.module.css";

/** What keeps its size on a narrow screen: it scrolls sideways by itself, by hand or by keys, and the page does not. */
export function Wide({ children }: { children: ReactNode }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reachable by keys
    <div className={styles.wide} tabIndex={0}>
      {children}
    </div>
  );
}
