using System.ComponentModel;
using System.Diagnostics;

namespace Bandejo.Agent;

/// <summary>Whoever is signed in at a Linux machine.</summary>
internal sealed class LinuxUser(string folder, string root) : UserWords(folder)
{
    // The session manager keeps a folder for each user who is signed in (pam_systemd(8)); those below 1000 are the system's own.
    public override bool IsSignedIn =>
        Path.Combine(root, "run/user") is var users && Directory.Exists(users)
            && Directory.EnumerateDirectories(users).Any(user => int.TryParse(Path.GetFileName(user), out var number) && number >= 1000);

    /// <summary>
    /// Shows it on the terminals of all who are signed in (wall(1)). In a root of its own it is written down in <c>run/notices</c> instead.
    /// </summary>
    public override void Tell(string text)
    {
        if (Path.GetFullPath(root) != "/")
        {
            Directory.CreateDirectory(Path.Combine(root, "run"));
            File.AppendAllText(Path.Combine(root, "run/notices"), text + "\n");
            return;
        }

        try
        {
            using var asked = Process.Start(new ProcessStartInfo("wall", [text]) { UseShellExecute = false })!;
            asked.WaitForExit(TimeSpan.FromSeconds(10));
        }
        catch (Win32Exception)
        {
            // Without wall(1) there is nobody at a terminal who could read it; the time that was to be promised passes all the same.
        }
    }
}
