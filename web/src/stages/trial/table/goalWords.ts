/** The state of a cell in a word: 0 is the worst of so many. */
export function goalWord(state: number, states: number): string {
  if (state === 0) return 'missed';
  if (state === states - 1) return 'met';
  return states === 3 ? 'near' : `near ${state}`;
}
