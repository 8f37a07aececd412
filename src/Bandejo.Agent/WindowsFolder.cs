using System.Runtime.Versioning;
using System.Security.AccessControl;
using System.Security.Principal;

namespace Bandejo.Agent;

/// <summary>Folders that are the agent's own on a machine with Windows.</summary>
[SupportedOSPlatform("windows")]
internal static class WindowsFolder
{
    /// <summary>A folder that the system account and administrators may use and nobody else, with all that comes into it; made where it is not there.</summary>
    /// <exception cref="UnauthorizedAccessException">It is there, and somebody else's: who owns it may let anybody in.</exception>
    public static string Make(string folder)
    {
        var rights = new DirectorySecurity();
        rights.SetAccessRuleProtection(isProtected: true, preserveInheritance: false);
        foreach (var who in (WellKnownSidType[])[WellKnownSidType.LocalSystemSid, WellKnownSidType.BuiltinAdministratorsSid])
        {
            rights.AddAccessRule(new FileSystemAccessRule(
                new SecurityIdentifier(who, null), FileSystemRights.FullControl, InheritanceFlags.ContainerInherit | InheritanceFlags.ObjectInherit,
                PropagationFlags.None, AccessControlType.Allow));
        }

        var made = new DirectoryInfo(folder);
        if (!made.Exists)
        {
            // Nobody is let in between its making and its rights.
            Directory.CreateDirectory(Path.GetDirectoryName(made.FullName)!);
            made.Create(rights);
            return made.FullName;
        }

        // Anybody may have made it first, below a folder that is open to all.
        if (!IsOwn(made.GetAccessControl()))
        {
            throw new UnauthorizedAccessException(
                $"The agent's folder {folder} was made by somebody without rights on this machine. Remove it, and do this again.");
        }

        made.SetAccessControl(rights);
        return made.FullName;
    }

    /// <summary>Whether a file that is open belongs to the system account, to administrators, or to the account that the agent runs as.</summary>
    public static bool IsOwn(FileStream stream) => IsOwn(stream.GetAccessControl());

    private static bool IsOwn(FileSystemSecurity rights)
    {
        var owner = rights.GetOwner(typeof(SecurityIdentifier)) as SecurityIdentifier;
        using var self = WindowsIdentity.GetCurrent();
        return owner is not null
            && (owner == self.User || owner.IsWellKnown(WellKnownSidType.LocalSystemSid) || owner.IsWellKnown(WellKnownSidType.BuiltinAdministratorsSid));
    }
}
