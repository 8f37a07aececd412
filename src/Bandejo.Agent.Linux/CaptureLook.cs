using Bandejo.Contract.Api;
using Bandejo.Core.Packages;
using Bandejo.Device.Trials;

namespace Bandejo.Agent;

/// <summary>What a capture finds out about a machine beside its files: who owns what, and which users and groups came.</summary>
internal sealed class CaptureLook
{
    /// <summary>Folders of logs and caches: a new one belongs to the software, what lies in it does not.</summary>
    private static readonly string[] Filled = ["/var/log/", "/var/cache/"];

    /// <summary>Of these, those that the system's own tools make around any install.</summary>
    private static readonly string[] OfSystem = [
        "/var/log/apt", "/var/log/journal", "/var/cache/apt", "/var/cache/debconf", "/var/cache/ldconfig", "/var/cache/man", "/var/cache/fontconfig",
        "/var/cache/private", "/var/log/private"];

    /// <summary>The files in which users and groups stand, and what goes with them (passwd(5), shadow(5), subuid(5)).</summary>
    private static readonly string[] AccountFiles = ["/etc/passwd", "/etc/group", "/etc/shadow", "/etc/gshadow", "/etc/subuid", "/etc/subgid"];

    private readonly string _root;
    private readonly Accounts _before;
    private Accounts _now;

    /// <param name="root">The folder that is the machine.</param>
    /// <param name="passwd">The users before, as passwd(5) has them; null for what stands there now.</param>
    /// <param name="group">The groups before; null for what stands there now.</param>
    public CaptureLook(string root, string? passwd = null, string? group = null)
    {
        _root = root;
        _now = Read();
        _before = passwd is null && group is null ? _now : new Accounts(passwd, group);
    }

    /// <summary>Reads users and groups again.</summary>
    public void Refresh() => _now = Read();

    /// <summary>What stands at a path, with its owners' names; null where nothing does.</summary>
    public DiskEntry? Find(string path) => new RootFolder(_root).Look(path, _now);

    /// <summary>The users and groups that came, groups first: users belong to them.</summary>
    public IEnumerable<CapturedInfo> Made() =>
        _now.GroupsMadeSince(_before).Select(name => new CapturedInfo(name, "group", 0, "", null, null, null))
            .Concat(_now.MadeSince(_before).Select(user => new CapturedInfo(user.Name, "user", 0, "", $"{user.Home}:{user.Shell}", null, null, user.Group)));

    /// <summary>Why something is left out unless asked for; null where it is taken.</summary>
    /// <param name="path">Absolute.</param>
    /// <param name="otherwise">Why, where nothing about the path itself says so.</param>
    public string? WhyLeft(string path, string kind, TrialNoise noise, string? otherwise) =>
        kind == "other" ? "other"
        : AccountFiles.Contains(path) && _now.HasAllOf(_before) ? "accounts"
        : kind == "folder" && Filled.Any(folder => path.StartsWith(folder, StringComparison.Ordinal))
            && !OfSystem.Any(own => path == own || path.StartsWith(own + "/", StringComparison.Ordinal))
            ? otherwise
        : noise.Is(path) ? "noise"
        : otherwise;

    private Accounts Read() => new(Text("etc/passwd"), Text("etc/group"));

    private string? Text(string path) => Path.Combine(_root, path) is var file && File.Exists(file) ? File.ReadAllText(file) : null;
}
