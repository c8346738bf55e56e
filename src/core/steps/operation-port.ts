/** What every kind of operation that reaches out has to be made real. */
export interface OperationPort<PageState> {
  /** What it keeps for a page while that runs: begins with what others kept, as it is now; later ones win. */
  openPage(from: readonly PageState[]): PageState;
}
