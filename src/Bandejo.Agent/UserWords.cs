using System.ComponentModel;
using System.Diagnostics;
using System.Text.Json;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>What the user said, one file each in the agent's folder: written by <c>take</c> and <c>report</c>, gone once the service has it.</summary>
internal sealed class UserWords(string folder, string root) : IMachineUser
{
    /// <summary>The most words that wait at a time; a user who says more has a stuck key.</summary>
    private const int Most = 20;

    /// <summary>Keeps a word until the service has it.</summary>
    /// <exception cref="IOException">Too many wait already.</exception>
    public void Say(string kind, string app, string text, DateTimeOffset at)
    {
        Home.Make(folder);
        if (Directory.EnumerateFiles(folder).Count() >= Most)
        {
            throw new IOException($"{Most} messages wait for the service already; check whether the agent runs and reaches it.");
        }

        var id = Guid.CreateVersion7(at).ToString("N");
        var part = Path.Combine(folder, id + ".part");
        using (var stream = Home.Open(part, FileMode.Create))
        {
            stream.Write(JsonSerializer.SerializeToUtf8Bytes(new UserWord(id, kind, app, text, at), AgentJson.Default.UserWord));
        }

        File.Move(part, Path.Combine(folder, id + ".json"));
    }

    public IReadOnlyList<UserWord> Said()
    {
        var said = new List<UserWord>();
        foreach (var file in Directory.Exists(folder) ? Directory.GetFiles(folder, "*.json").Order(StringComparer.Ordinal).ToList() : [])
        {
            try
            {
                said.Add(JsonSerializer.Deserialize(File.ReadAllText(file), AgentJson.Default.UserWord)!);
            }
            catch (JsonException)
            {
                // Not written by us; it would be in the way for ever.
                File.Delete(file);
            }
        }

        return said;
    }

    // The session manager keeps a folder for each user who is signed in (pam_systemd(8)); those below 1000 are the system's own.
    public bool IsSignedIn =>
        Path.Combine(root, "run/user") is var users && Directory.Exists(users)
            && Directory.EnumerateDirectories(users).Any(user => int.TryParse(Path.GetFileName(user), out var number) && number >= 1000);

    /// <summary>
    /// Shows it on the terminals of all who are signed in (wall(1)). In a root of its own it is written down in <c>run/notices</c> instead.
    /// </summary>
    public void Tell(string text)
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

    public void Taken(string id) => File.Delete(Path.Combine(folder, id + ".json"));
}
