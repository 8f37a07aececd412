using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization;
using Bandejo.Contract.Device;
using Bandejo.Device;

namespace Bandejo.Agent;

/// <summary>The agent's own folder: its key, who it is, its journal, its cache. Only its owner may look into it.</summary>
internal sealed class Home
{
    /// <summary>Who may use the agent's own files: its own account and nobody else.</summary>
    public const UnixFileMode OwnFile = UnixFileMode.UserRead | UnixFileMode.UserWrite;

    /// <inheritdoc cref="OwnFile"/>
    public const UnixFileMode OwnFolder = OwnFile | UnixFileMode.UserExecute;

    private const string KeyName = "key.pem";

    private Home(string root, string folder)
    {
        Root = root;
        Folder = folder;
    }

    /// <summary>The machine's root.</summary>
    public string Root { get; }

    public string Folder { get; }

    public string JournalFile => Path.Combine(Folder, "journal.jsonl");

    public string CacheFolder => Path.Combine(Folder, "content");

    public string SaidFolder => Path.Combine(Folder, "said");

    private string KeyFile => Path.Combine(Folder, KeyName);

    private string IdentityFile => Path.Combine(Folder, "identity.json");

    /// <summary>The agent's own folder for a root; made where it is not there.</summary>
    public static Home Of(string root, string folder)
    {
        root = Path.GetFullPath(root);
        if (!Directory.Exists(root))
        {
            throw new IOException($"The root {root} is not there.");
        }

        folder = Path.GetFullPath(folder);
        if (new DirectoryInfo(folder).LinkTarget is { } elsewhere)
        {
            throw new IOException($"The agent's folder {folder} is a link to {elsewhere}; name the folder itself with --state.");
        }

        return new Home(Path.TrimEndingDirectorySeparator(root), Make(folder));
    }

    /// <summary>Opens a file of the agent's own to write, for its account alone where it is made.</summary>
    /// <exception cref="IOException">It cannot be opened so.</exception>
    public static FileStream Open(string path, FileMode mode, FileAccess access = FileAccess.Write, FileShare share = FileShare.Read)
    {
        var options = new FileStreamOptions { Mode = mode, Access = access, Share = share };
        if (!OperatingSystem.IsWindows())
        {
            // There it has the rights of its folder.
            options.UnixCreateMode = OwnFile;
        }

        return new FileStream(path, options);
    }

    /// <summary>A folder of the agent's own, for its account alone; made where it is not there.</summary>
    public static string Make(string folder)
    {
        if (OperatingSystem.IsWindows())
        {
            return WindowsFolder.Make(folder);
        }

        var made = Directory.CreateDirectory(folder, OwnFolder).FullName;
        File.SetUnixFileMode(made, OwnFolder);
        return made;
    }

    /// <summary>A folder below one of the agent's own; left as it is where it is there.</summary>
    public static void MakeBelow(string folder)
    {
        if (OperatingSystem.IsWindows())
        {
            Directory.CreateDirectory(folder);
        }
        else
        {
            Directory.CreateDirectory(folder, OwnFolder);
        }
    }

    /// <summary>Takes the folder for this process alone, until it ends.</summary>
    /// <exception cref="IOException">Another agent has it.</exception>
    public FileStream Lock()
    {
        try
        {
            return Open(Path.Combine(Folder, "lock"), FileMode.OpenOrCreate, FileAccess.ReadWrite, FileShare.None);
        }
        catch (IOException)
        {
            throw new IOException($"Another agent is at work on {Root}; end it first, or give this one another root.");
        }
    }

    /// <summary>The device's key; made at first need.</summary>
    public ECDsa Key()
    {
        if (File.Exists(KeyFile))
        {
            return EllipticKeys.OfPem(Read(KeyFile));
        }

        var key = EllipticKeys.Create();
        Write(KeyFile, key.ExportPkcs8PrivateKeyPem());
        return key;
    }

    /// <summary>Who the device is and where its service; null before it joined.</summary>
    public AgentIdentity? Identity() =>
        File.Exists(IdentityFile) ? JsonSerializer.Deserialize(Read(IdentityFile), AgentJson.Default.AgentIdentity) : null;

    public void Keep(AgentIdentity identity) => Write(IdentityFile, JsonSerializer.Serialize(identity, AgentJson.Default.AgentIdentity));

    /// <summary>Whether a folder is an agent's own: it has a key in it.</summary>
    public static bool IsOne(string folder) => File.Exists(Path.Combine(folder, KeyName));

    /// <summary>Reads one of the files that say who this machine is and whom it obeys.</summary>
    /// <exception cref="UnauthorizedAccessException">Somebody without rights has put it there.</exception>
    private static string Read(string file)
    {
        using var stream = new FileStream(file, FileMode.Open, FileAccess.Read, FileShare.ReadWrite | FileShare.Delete);
        if (OperatingSystem.IsWindows() && !WindowsFolder.IsOwn(stream))
        {
            throw new UnauthorizedAccessException($"{file} belongs to somebody without rights on this machine, and is not believed.");
        }

        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }

    private static void Write(string file, string text)
    {
        var part = file + ".part";
        using (var stream = Open(part, FileMode.Create))
        {
            stream.Write(System.Text.Encoding.UTF8.GetBytes(text));
            stream.Flush(flushToDisk: true);
        }

        File.Move(part, file, overwrite: true);
    }
}

/// <summary>Who the device is, and where its service.</summary>
/// <param name="Authorities">Who stands for the service; null where this machine's own authorities do, or where it is spoken to without TLS.</param>
/// <param name="IsPlain">Somebody has accepted that it is spoken to without TLS, although it is on another machine.</param>
internal sealed record AgentIdentity(string Service, DeviceIdentity Device, IReadOnlyList<AuthorityInfo>? Authorities = null, bool IsPlain = false);

/// <summary>JSON for the agent's own files.</summary>
[JsonSourceGenerationOptions(WriteIndented = true)]
[JsonSerializable(typeof(AgentIdentity))]
[JsonSerializable(typeof(UserWord))]
internal sealed partial class AgentJson : JsonSerializerContext;
