namespace Bandejo.Core.Packages;

/// <summary>Something on a disk as it stands.</summary>
/// <param name="Kind">file, link, folder or other.</param>
/// <param name="Size">Bytes of a file.</param>
/// <param name="Mode">The rights in octal; empty for a link.</param>
/// <param name="Owner">Owner and group by their names, as <c>name:name</c>.</param>
/// <param name="Target">Where a link leads.</param>
public sealed record DiskEntry(string Kind, long Size, string Mode, string Owner, string? Target);
