/**
 * The look of versions, by how they stand: of those behind, each further one is paler.
 * @param standings In the order of versions, the newest first.
 */
export function versionLooks(standings: readonly string[]): string[] {
  let behind = 0;
  return standings.map((standing) => (standing === "behind" ? `version-behind version-pale-${Math.min(behind++, 3)}` : `version-${standing}`));
}
