namespace Bandejo.Core.World;

/// <summary>What an account may do. Every account may look; everything else takes the role named at its route.</summary>
public static class Roles
{
    public const string Viewer = "viewer";
    public const string Packager = "packager";
    public const string Operator = "operator";
    public const string Approver = "approver";
    public const string Administrator = "administrator";

    /// <summary>Sees all that anybody sees, the audit trail and accounts too, and changes nothing.</summary>
    public const string Auditor = "auditor";

    /// <summary>All roles. An administrator may do everything.</summary>
    public static IReadOnlyList<string> All { get; } = [Viewer, Packager, Operator, Approver, Auditor, Administrator];
}
