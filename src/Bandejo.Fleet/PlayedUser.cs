using Bandejo.Core.Rules;
using Bandejo.Device;
using Bandejo.Played;

namespace Bandejo.Fleet;

/// <summary>The user of a played device: takes what is offered, and complains of what breaks, as the script says.</summary>
internal sealed class PlayedUser(string name, PlayedFacts facts, IReadOnlyDictionary<string, PlayedApp> apps, Chance chance, PlayedLife life) : IMachineUser
{
    private readonly HashSet<string> _heard = new(StringComparer.Ordinal);
    private readonly Dictionary<string, DateTimeOffset> _offered = new(StringComparer.Ordinal);

    public void Replay(RecordLine line)
    {
        if (line is { What: "heard", Name: { } id })
        {
            _heard.Add(id);
        }
    }

    public IReadOnlyList<UserWord> Said()
    {
        if (life.Engine is not { } engine)
        {
            return [];
        }

        var now = life.Now;
        var said = new List<UserWord>();
        foreach (var order in engine.State.Orders.Where(order => order.Kind == "offer"))
        {
            var about = $"{name}/take/{order.Deployment}";
            if (apps.TryGetValue(order.Package.App, out var app) && chance.Share(about) < app.Takers.Share)
            {
                _offered.TryAdd(about, now);
                Say(about, "take", order.Package.App, "", _offered[about] + (app.Takers.Within * chance.Share(about + "/when")));
            }
        }

        foreach (var receipt in engine.State.Receipts.Values)
        {
            foreach (var story in apps.GetValueOrDefault(receipt.App)?.Harms ?? [])
            {
                var about = $"{name}/harm/{receipt.App}/{receipt.Version}/{story.Says}";
                if ((story.Version is null || story.Version == receipt.Version) && story.When.Test(facts) == Truth.True && chance.Share(about) < story.Share)
                {
                    Say(about, "harm", receipt.App, story.Says, receipt.At + chance.Between(about + "/when", story.From, story.To));
                }
            }
        }

        return said;

        void Say(string about, string kind, string app, string text, DateTimeOffset due)
        {
            var id = chance.Id(about);
            if (due <= now && !_heard.Contains(id))
            {
                said.Add(new UserWord(id, kind, app, text, due));
            }
        }
    }

    /// <summary>Played users sign out when they are done; how long they stay is not played.</summary>
    public bool IsSignedIn => false;

    public void Tell(string text)
    {
        // Nobody is there, see above.
    }

    public void Taken(string id)
    {
        if (_heard.Add(id))
        {
            life.Write("heard", line => line with { Name = id });
        }
    }
}
