using Bandejo.Contract.Api;

namespace Bandejo.Contract;

/// <summary>A refusal in the form of RFC 9457.</summary>
/// <param name="Type">A name of the kind of refusal.</param>
/// <param name="Title">The kind in words.</param>
/// <param name="Status">The HTTP status.</param>
/// <param name="Detail">What was wrong and what would be right.</param>
/// <param name="Findings">Each thing that is wrong, with its place.</param>
/// <param name="Taken">Of a check-in that was refused for its number: the number that was taken last.</param>
public sealed record Problem(string Type, string Title, int Status, string Detail, IReadOnlyList<FindingInfo>? Findings = null, long? Taken = null);

/// <summary>Limits of the public API.</summary>
public static class ApiLimits
{
    /// <summary>The response header in which a service on a demo clock says its time and speed: <c>2026-03-02T08:00:00Z; speed=60</c>.</summary>
    public const string DemoClockHeader = "Bandejo-Demo-Clock";

    /// <summary>The header with the past moment that an answer is of (RFC 3339).</summary>
    public const string AsOfHeader = "Bandejo-As-Of";

    /// <summary>The largest body of an ordinary request, in bytes.</summary>
    public const int MaxBody = 8 * 1024 * 1024;

    /// <summary>The longest reason, and the longest name of anything, in characters.</summary>
    public const int MaxReason = 1000;

    public const int MaxName = 200;

    /// <summary>The longest manifest, in characters.</summary>
    public const int MaxManifest = 256 * 1024;

    /// <summary>The most files of a package.</summary>
    public const int MaxFiles = 100_000;

    /// <summary>The largest package file, in bytes.</summary>
    public const long MaxPackage = 64L * 1024 * 1024 * 1024;

    /// <summary>
    /// The largest piece of an upload, in bytes. What came of one that broke off is kept, so a piece may be large; between two both sides stand still.
    /// </summary>
    public const int MaxPiece = 256 * 1024 * 1024;

    /// <summary>Items on a page unless asked otherwise, and at most.</summary>
    public const int PageSize = 100;

    public const int MaxPageSize = 1000;
}
