import type { Schemas } from "../api/client";
import styles from "./SaidTable.module.css";

/** Rows to read: a title, heads, and cells in words. */
export function SaidTable({ table }: { table: Schemas["TableModel"] }) {
  return (
    <table className={styles.saidTable}>
      <caption>{table.title}</caption>
      <thead>
        <tr>
          {table.heads.map((head, i) =>
            head ? (
              <th key={head} scope="col">
                {head}
              </th>
            ) : (
              // biome-ignore lint/suspicious/noArrayIndexKey: heads never move
              <td key={i} />
            ),
          )}
        </tr>
      </thead>
      <tbody>
        {table.rows.map((row) => (
          <tr key={row.join()}>
            {row.map((cell, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: cells never move
              <td key={i}>{cell}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
