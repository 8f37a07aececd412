using Bandejo.Core;
using Bandejo.Core.Installers;
using Bandejo.Core.Rules;
using Bandejo.Server.Access;
using Bandejo.Server.Http;
using Bandejo.Store;

namespace Bandejo.Server;

/// <summary>
/// How the service runs. Each setting stands in <c>--NAME VALUE</c> or in <c>BANDEJO_NAME</c> in the environment; an unknown one is an error.
/// </summary>
internal sealed class ServiceOptions
{
    private string? _store;

    /// <summary>Where it keeps everything.</summary>
    public string Data { get; private set; } = "bandejo-data";

    /// <summary>The database that holds its state: a file in the folder, or one of a PostgreSQL server.</summary>
    public string Store => _store ?? Path.Combine(Data, "bandejo.db");

    /// <summary>Where it listens.</summary>
    public string Listen { get; private set; } = "http://127.0.0.1:7410";

    /// <summary>The addresses at which it listens.</summary>
    public IReadOnlyList<Uri> Addresses => Listening.Read(Listen)!;

    /// <summary>How it shows itself over TLS.</summary>
    public TlsOptions Tls => new(Addresses.Any(address => address.Scheme == "https"), Certificate, Announce, Names);

    /// <summary>A certificate of the organisation's with its chain and key; null for an authority of the service's own.</summary>
    public string? Certificate { get; private set; }

    /// <summary>Authorities that devices shall believe too; null for none.</summary>
    public string? Announce { get; private set; }

    /// <summary>Names by which it is reached, besides those of this machine.</summary>
    public IReadOnlyList<string> Names { get; private set; } = [];

    /// <summary>Whether it may listen without TLS where others than this machine can reach it.</summary>
    public bool IsPlain { get; private set; }

    /// <summary>Seconds between check-ins of a device.</summary>
    public int CheckInSeconds { get; private set; } = 60;

    /// <summary>Sign-in attempts a minute from one address.</summary>
    public int SignInsPerMinute { get; private set; } = 20;

    /// <summary>The password of the first administrator; random where it is not given.</summary>
    public string? FirstPassword { get; private set; }

    /// <summary>The largest package file in GiB.</summary>
    public int MaxPackageGib { get; private set; } = 64;

    /// <summary>Room for drafts and uploads that are no package yet, of one person and of all, in GiB.</summary>
    public int UnfinishedGibOfOne { get; private set; } = 128;

    public int UnfinishedGib { get; private set; } = 512;

    /// <summary>Joins a minute from one address.</summary>
    public int JoinsPerMinute { get; private set; } = 600;

    /// <summary>How many connections may be open at once.</summary>
    public int Connections { get; private set; } = MostConnections();

    /// <summary>Who may read figures and the description of the API.</summary>
    public FiguresDoor FiguresFor { get; private set; } = FiguresDoor.Open;

    /// <summary>How setups are recognised that do not say themselves what they are.</summary>
    public HintCatalog Hints { get; private set; } = HintCatalog.Own;

    /// <summary>Whether drafts on the bench may be tried in a sandbox of the service's machine.</summary>
    public bool Trials { get; private set; }

    /// <summary>Whether nobody may release a package that they built themselves.</summary>
    public bool ReleaseByAnother { get; private set; }

    /// <summary>The file of a demo clock to follow; null follows the real time.</summary>
    public string? DemoClock { get; private set; }

    /// <summary>Every setting with its default and meaning, for the reference and <c>--help</c>.</summary>
    public static IReadOnlyList<(string Name, string Default, string Meaning)> All { get; } =
    [
        ("data", "bandejo-data", "The folder in which the service keeps everything; nobody but its own account may enter it"),
        (
            "store", "a SQLite file in that folder",
            "The database for its state; Host=…;Database=…;Username=… for one of a PostgreSQL server (a password is better off in BANDEJO_STORE or with "
                + "Passfile=…); content stays in the folder"),
        (
            "listen", "http://127.0.0.1:7410",
            "The addresses at which it listens, set apart by ';'; beyond this machine with https, such as https://0.0.0.0:7410"),
        ("names", "this machine's", "Names by which it is reached over TLS besides this machine's own, set apart by commas, such as bandejo.example"),
        (
            "certificate", "of its own",
            "A file (PEM) with a certificate of your organisation's, those that lead to its authority, and its key; without it the service has an "
                + "authority of its own"),
        (
            "announce", "none",
            "A file (PEM) with authorities that devices shall believe too: name them here, wait until all devices know, and only then change the certificate"),
        (
            "without-tls", "off",
            "on lets it listen without TLS beyond this machine: whoever is on the way then reads and changes everything, and commands the devices"),
        ("check-in-seconds", "60", "Seconds between check-ins of a device, 1 to 86400"),
        ("sign-ins-per-minute", "20", "Sign-in attempts a minute from one address, 1 to 10000"),
        ("first-password", "random", "The password of the first administrator; a random one is written to first-password.txt in the data folder"),
        ("joins-per-minute", "600", "Joins of devices a minute from one address, 1 to 1000000"),
        (
            "connections", "all but 1000 of the files that may be open",
            "Connections that may be open at once, 8 to 1000000; at most half of them are lines on which devices wait to be called, and the last twentieth "
                + "is kept for people and for /healthz"),
        (
            "figures-for", "anybody",
            "Who may read /metrics and the description of the API: anybody, people (who are signed in), or addresses set apart by commas, such as "
                + "127.0.0.1,10.20.0.0/16"),
        (
            "hints", "none",
            "A file with marks of setups that this site knows, as bandejo package inspect --silent-with writes it; the bench looks at them before its own"),
        (
            "trials", "off",
            "on lets packagers try drafts on the bench in a clean sandbox of this machine, without network; off leaves trials to the command line"),
        ("release-by", "anybody", "Who releases a package: anybody who may, or another than who built it"),
        ("demo-clock", "none", "A file with a clock that can run fast or be stepped, for demonstrations and tests; made where it is not there"),
        ("max-package-gib", "64", "The largest package file in GiB, 1 to 1024"),
        ("unfinished-gib-of-one", "128", "Room for drafts and uploads of one person that are no package yet, in GiB, 1 to 65536"),
        ("unfinished-gib", "512", "Room for drafts and uploads of all that are no package yet, in GiB, 1 to 65536"),
    ];

    /// <summary>Reads arguments and environment; the arguments win.</summary>
    public static Outcome<ServiceOptions> Read(IReadOnlyList<string> arguments, Func<string, string?> environment)
    {
        var options = new ServiceOptions();
        var findings = new List<Finding>();
        foreach (var (name, _, _) in All)
        {
            if (environment("BANDEJO_" + name.Replace('-', '_').ToUpperInvariant()) is { Length: > 0 } value)
            {
                options.Set(name, value, findings);
            }
        }

        for (var i = 0; i < arguments.Count; i += 2)
        {
            var name = arguments[i].StartsWith("--", StringComparison.Ordinal) ? arguments[i][2..] : "";
            if (!All.Any(known => known.Name == name))
            {
                var near = Suggest.Nearest(name, All.Select(known => known.Name));
                findings.Add(new Finding($"There is no setting '{arguments[i]}'." + (
                    near is null ? $" Settings: {string.Join(", ", All.Select(known => "--" + known.Name))}." : $" Did you mean '--{near}'?")));
            }
            else if (i + 1 >= arguments.Count)
            {
                findings.Add(new Finding($"'--{name}' needs a value."));
            }
            else
            {
                options.Set(name, arguments[i + 1], findings);
            }
        }

        if (findings.Count == 0 && !options.IsPlain && options.Addresses.FirstOrDefault(address => address.Scheme == "http" && !address.IsLoopback) is { } open)
        {
            findings.Add(new Finding(
                $"At {open} the service could be reached from other machines without TLS: whoever is on the way could read and change everything, and "
                    + $"command the devices. Say https ({open.ToString().Replace("http:", "https:", StringComparison.Ordinal)}), which works from "
                        + $"nothing; or, to accept that, --without-tls on."));
        }

        return findings.Count == 0
            ? options
            : new Failure(ErrorKind.Invalid, string.Join(Environment.NewLine, findings.Select(finding => finding.Message)), findings);
    }

    /// <summary>So many that files for the database and content are never lacking: a process that may open no more files cannot go on.</summary>
    private static int MostConnections()
    {
        const string Limits = "/proc/self/limits";
        var line = File.Exists(Limits) ? File.ReadLines(Limits).FirstOrDefault(each => each.StartsWith("Max open files", StringComparison.Ordinal)) : null;
        return line is not null && int.TryParse(line[26..].TrimStart().Split(' ')[0], out var files) ? Math.Max(files - 1000, files / 2) : 1_000_000;
    }

    private void Set(string name, string value, List<Finding> findings)
    {
        switch (name)
        {
            case "data":
                Data = Path.GetFullPath(value);
                break;
            case "store" when value != "a SQLite file in that folder":
                _store = value;
                findings.AddRange(DatabaseStore.WhyNot(value) is { } why ? [new Finding(why)] : []);
                break;
            case "store":
                break;
            case "listen" when Listening.Read(value) is not null:
                Listen = value;
                break;
            case "names" when value.Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries) is var names
                && names.All(each => Uri.CheckHostName(each) != UriHostNameType.Unknown):
                Names = names;
                break;
            case "certificate" when value == "of its own" || File.Exists(value):
                Certificate = value == "of its own" ? null : Path.GetFullPath(value);
                break;
            case "announce" when value == "none" || File.Exists(value):
                Announce = value == "none" ? null : Path.GetFullPath(value);
                break;
            case "without-tls" when value is "on" or "off":
                IsPlain = value == "on";
                break;
            case "first-password" when value.Length >= 10:
                FirstPassword = value;
                break;
            case "check-in-seconds" when Number(1, 86400) is { } seconds:
                CheckInSeconds = seconds;
                break;
            case "sign-ins-per-minute" when Number(1, 10000) is { } attempts:
                SignInsPerMinute = attempts;
                break;
            case "joins-per-minute" when Number(1, 1_000_000) is { } joins:
                JoinsPerMinute = joins;
                break;
            case "connections" when Number(8, 1_000_000) is { } connections:
                Connections = connections;
                break;
            case "demo-clock" when value != "none":
                DemoClock = Path.GetFullPath(value);
                break;
            case "figures-for" when FiguresDoor.Read(value) is { } door:
                FiguresFor = door;
                break;
            case "hints" when value == "none" || File.Exists(value):
                var read = value == "none" ? HintCatalog.Own : HintCatalog.Own.With(File.ReadAllText(value), value);
                Hints = read.Ok ? read.Value : HintCatalog.Own;
                findings.AddRange(read.Ok ? [] : [new Finding(read.Failure!.Message)]);
                break;
            case "trials" when value is "on" or "off":
                Trials = value == "on";
                break;
            case "release-by" when value is "anybody" or "another":
                ReleaseByAnother = value == "another";
                break;
            case "unfinished-gib-of-one" when Number(1, 65536) is { } one:
                UnfinishedGibOfOne = one;
                break;
            case "unfinished-gib" when Number(1, 65536) is { } all:
                UnfinishedGib = all;
                break;
            case "max-package-gib" when Number(1, 1024) is { } gib:
                MaxPackageGib = gib;
                break;
            default:
                findings.Add(new Finding($"'{value}' is not possible for '{name}': {All.First(known => known.Name == name).Meaning}."));
                break;
        }

        int? Number(int least, int most) =>
            int.TryParse(value, System.Globalization.NumberStyles.None, System.Globalization.CultureInfo.InvariantCulture, out var number) && number >= least
                && number <= most
                ? number
                : null;
    }
}
