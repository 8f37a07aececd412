using Bandejo.Core.Rules;
using Bandejo.Core.Versions;
using Bandejo.Store;

namespace Bandejo.Server.World;

/// <summary>Keeps one of what thousands of devices have alike: words, programs, versions. Used under the world's lock.</summary>
internal sealed class Pool
{
    /// <summary>Longer texts are seldom alike.</summary>
    private const int LongestShared = 64;

    private readonly HashSet<string> _texts = new(StringComparer.Ordinal);
    private readonly Dictionary<StoredProgram, StoredProgram> _programs = [];
    private readonly Dictionary<string, FactRef> _apps = new(StringComparer.Ordinal);
    private readonly Dictionary<string, FactLookup> _versions = new(StringComparer.Ordinal);

    /// <summary>The same device with everything shared that can be.</summary>
    public StoredDevice Shared(StoredDevice device) => device with
    {
        Facts = device.Facts.ToDictionary(fact => Text(fact.Key), fact => Text(fact.Value)),
        FactTimes = device.FactTimes.ToDictionary(fact => Text(fact.Key), fact => fact.Value),
        Programs = device.Programs is null ? null : [.. device.Programs.Select(Program)],
    };

    /// <summary>The fact that names the version of a program.</summary>
    public FactRef App(string program)
    {
        if (!_apps.TryGetValue(program, out var app))
        {
            _apps[program] = app = new FactRef(FactCatalog.Slug(program), true);
        }

        return app;
    }

    /// <summary>A version as it stands in the columns; not known where the text is none.</summary>
    public FactLookup Version(string text)
    {
        if (!_versions.TryGetValue(text, out var version))
        {
            _versions[text] = version = AppVersion.TryParse(text, out var parsed) ? FactLookup.Of(FactValue.OfVersion(parsed)) : FactLookup.NotKnown;
        }

        return version;
    }

    private string Text(string text)
    {
        if (text.Length > LongestShared)
        {
            return text;
        }

        if (_texts.TryGetValue(text, out var known))
        {
            return known;
        }

        _texts.Add(text);
        return text;
    }

    private StoredProgram Program(StoredProgram program)
    {
        if (!_programs.TryGetValue(program, out var known))
        {
            _programs[program] = known = new StoredProgram(Text(program.Name), Text(program.Version), Text(program.Source));
        }

        return known;
    }
}
