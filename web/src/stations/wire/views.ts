/** What every view of the station is given. */
export interface ViewProps {
  /** What is being changed in a view and not kept yet, in words; empty while nothing is. */
  onEdit: (doing: string) => void;
}
