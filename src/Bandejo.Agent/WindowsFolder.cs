using System.Runtime.Versioning;
using System.Security.AccessControl;
using System.Security.Principal;

namespace Bandejo.Agent;

/// <summary>Folders that are the agent's own on a machine with Windows.</summary>
[SupportedOSPlatform("windows")]
internal static class WindowsFolder
{
    /// <summary>A folder that the system account and administrators may use and nobody else, with all that comes into it; made where it is not there.</summary>
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

        var made = Directory.CreateDirectory(folder);
        made.SetAccessControl(rights);
        return made.FullName;
    }

    /// <summary>Whether a file that is open belongs to the system account, to administrators, or to the account that the agent runs as.</summary>
    public static bool IsOwn(FileStream stream)
    {
        var owner = stream.GetAccessControl().GetOwner(typeof(SecurityIdentifier)) as SecurityIdentifier;
        using var self = WindowsIdentity.GetCurrent();
        return owner is not null
            && (owner == self.User || owner.IsWellKnown(WellKnownSidType.LocalSystemSid) || owner.IsWellKnown(WellKnownSidType.BuiltinAdministratorsSid));
    }
}
