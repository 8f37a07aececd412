using System.Text.Json;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>What the user said, one file each in the agent's folder: written by <c>take</c> and <c>report</c>, gone once the service has it.</summary>
internal abstract class UserWords(string folder) : IMachineUser
{
    /// <summary>The most words that wait at a time; a user who says more has a stuck key.</summary>
    private const int Most = 20;

    /// <summary>Keeps a word until the service has it.</summary>
    /// <exception cref="IOException">Too many wait already.</exception>
    public static void Say(string folder, string kind, string app, string text, DateTimeOffset at)
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

    public abstract bool IsSignedIn { get; }

    public abstract void Tell(string text);

    public void Taken(string id) => File.Delete(Path.Combine(folder, id + ".json"));
}
