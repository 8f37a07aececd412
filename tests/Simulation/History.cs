namespace Bandejo.Simulation.Tests;

/// <summary>What can happen in a history.</summary>
internal enum Happens
{
    Joins,
    IsRemoved,
    PowerGoes,
    PowerGoesAtEntry,
    AgentEnds,
    LinkBreaks,
    AnswersAreLost,
    CheckInsAreDoubled,
    CheckInComesAgain,
    ClockJumps,
    AppIsTakenAway,
    OtherVersionIsPut,
    FactsChange,
    HarmIsReported,
    OfferIsTaken,
    ServiceIsKilled,
    CommitFails,
    GroupIsMade,
    GroupChanges,
    GroupIsRemoved,
    MemberMoves,
    PackageIsReleased,
    PackageIsWithdrawn,
    DeploymentStarts,
    DeploymentIsPrepared,
    ActIsAsked,
    RollBackIsAsked,
    RetryIsAsked,
    CalendarIsKept,
    CalendarsAreAttached,
}

/// <summary>
/// Something that happens at a moment. What it is about follows from its number and from what there is then, so that a history means something without any of
/// its events.
/// </summary>
/// <param name="At">After the beginning.</param>
internal sealed record HistoryEvent(TimeSpan At, Happens What, int Number)
{
    public override string ToString() => $"{At:d\\.hh\\:mm\\:ss} {What} {Number}";
}

/// <summary>All that decides what becomes of a simulation.</summary>
/// <param name="Seed">Draws what is left to chance: machines, installers, ways.</param>
/// <param name="Length">How long things go wrong; after it all is left to come to rest.</param>
/// <param name="Slice">For how many devices something is done in one go.</param>
/// <param name="Hails">Whether devices listen for the service.</param>
internal sealed record History(int Seed, int Devices, TimeSpan Length, TimeSpan CheckInInterval, int Slice, bool Hails, IReadOnlyList<HistoryEvent> Events)
{
    // How often each happens, against the others.
    private static readonly (Happens What, int Weight)[] Weights =
    [
        (Happens.IsRemoved, 1), (Happens.PowerGoes, 4), (Happens.PowerGoesAtEntry, 5), (Happens.AgentEnds, 4), (Happens.LinkBreaks, 4),
        (Happens.AnswersAreLost, 3), (Happens.CheckInsAreDoubled, 3), (Happens.CheckInComesAgain, 3),
        (Happens.ClockJumps, 2), (Happens.AppIsTakenAway, 2), (Happens.OtherVersionIsPut, 1), (Happens.FactsChange, 3), (Happens.HarmIsReported, 2),
        (Happens.OfferIsTaken, 4), (Happens.ServiceIsKilled, 4), (Happens.CommitFails, 3),
        (Happens.GroupIsMade, 1), (Happens.GroupChanges, 2), (Happens.GroupIsRemoved, 1), (Happens.MemberMoves, 3), (Happens.PackageIsWithdrawn, 1),
        (Happens.DeploymentStarts, 5), (Happens.DeploymentIsPrepared, 1),
        (Happens.ActIsAsked, 14), (Happens.RollBackIsAsked, 3), (Happens.RetryIsAsked, 3), (Happens.Joins, 1),
        (Happens.CalendarIsKept, 2), (Happens.CalendarsAreAttached, 3),
    ];

    /// <summary>The history of a seed.</summary>
    public static History Of(int seed)
    {
        var random = new Random(seed);
        var length = TimeSpan.FromHours(random.Next(4, 60));
        var devices = random.Next(2, 10);
        var events = new List<HistoryEvent>();
        for (var device = 0; device < devices; device++)
        {
            events.Add(new HistoryEvent(
                TimeSpan.FromMinutes(random.Next(5) == 0 ? random.Next((int)length.TotalMinutes) : random.Next(40)), Happens.Joins, device));
        }

        for (var package = 0; package < Catalogue.Packages.Count; package++)
        {
            events.Add(new HistoryEvent(TimeSpan.FromMinutes(random.Next(8) == 0 ? random.Next(600) : 1), Happens.PackageIsReleased, package));
        }

        for (var group = random.Next(1, 4); group > 0; group--)
        {
            events.Add(new HistoryEvent(TimeSpan.FromMinutes(2), Happens.GroupIsMade, random.Next()));
        }

        var starts = new List<TimeSpan>();
        for (var start = random.Next(1, 5); start > 0; start--)
        {
            starts.Add(TimeSpan.FromMinutes(random.Next(30, starts.Count == 0 ? 120 : (int)length.TotalMinutes)));
            events.Add(new HistoryEvent(starts[^1], Happens.DeploymentStarts, random.Next()));
        }

        var all = Weights.Sum(each => each.Weight);
        for (var left = random.Next(20, 110); left > 0; left--)
        {
            var drawn = random.Next(all);
            var what = Weights.First(each => (drawn -= each.Weight) < 0).What;

            // Most of them while something is at work.
            var at = random.Next(3) == 0
                ? TimeSpan.FromSeconds(random.Next((int)length.TotalSeconds))
                : starts[random.Next(starts.Count)] + TimeSpan.FromSeconds(Math.Pow(random.NextDouble(), 2) * 12_000);
            events.Add(new HistoryEvent(TimeSpan.FromMilliseconds(Math.Round(at.TotalMilliseconds)), what, random.Next()));
        }

        return new History(seed, devices, length, TimeSpan.FromMinutes(random.Next(2) == 0 ? 5 : 20), random.Next(2) == 0 ? 2 : 1000, random.Next(3) > 0, [
            .. events.OrderBy(each => each.At)]);
    }

    /// <summary>How long nothing of what is over must have changed before it leaves memory.</summary>
    public TimeSpan ShelveAfter => TimeSpan.FromMinutes(Seed % 3 == 0 ? 60 : 1);

    public override string ToString() =>
        $"seed {Seed}: {Devices} devices, {Length.TotalHours:0} h, check-in every {CheckInInterval.TotalMinutes:0} min, slices of {Slice}, "
            + $"{(Hails ? "hails" : "no hails")}\n{string.Join('\n', Events)}";
}
