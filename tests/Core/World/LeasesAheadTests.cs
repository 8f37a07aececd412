using Bandejo.Core.CheckIns;
using Bandejo.Core.Deployments;
using Bandejo.Core.Rollouts;
using Bandejo.Core.Site;
using Bandejo.Core.World;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests.World;

/// <summary>Who misses its opening is told by the hours in which devices are usually heard.</summary>
public sealed class LeasesAheadTests : SmallWorld
{
    private static readonly DateTimeOffset Saturday = new(2031, 3, 22, 22, 0, 0, TimeSpan.Zero);

    public LeasesAheadTests()
    {
        Do(decision => Core.Site.Calendars.Keep(decision, (_, _) => null, "nights", new CalendarAsk("Nights", false, "Sat 22:00-23:00", "UTC", null)));
        Do(decision => Core.Site.Calendars.Rule(decision, (_, _) => null, "desks", ["nights"]));
    }

    [Fact]
    public void Whoever_works_from_Monday_to_Friday_misses_a_Saturday_night_with_a_lease_of_a_day()
    {
        Live((device, at) => device % 2 == 1 || (at.DayOfWeek is not (DayOfWeek.Saturday or DayOfWeek.Sunday) && at.Hour is >= 8 and < 18));
        var finding = Finding("1 d")!;
        Assert.Equal(
            "25 of 50 devices that wait for a window are usually not heard from for longer than the lease of 1 d when it opens (DESK-0, DESK-2, DESK-4, …): "
                + "they start nothing in it. With a lease of 2 d all of them would; a halt before it opens would then come too late for 25 devices and not "
                + "for 0, for they start without hearing of it.", finding);
        Assert.Null(Finding("2 d"));
    }

    [Fact]
    public void Of_whom_nothing_is_known_nothing_is_told() => Assert.Null(Finding("1 d"));

    /// <summary>Against a slow and obvious way: the next week goes like the last, check-in by check-in.</summary>
    [Fact]
    public void What_is_told_is_what_a_week_that_goes_like_the_last_would_bring() => Gen.Select(Gen.Int[1, 1_000_000], Gen.Int[1, 40]).Sample((seed, lease) =>
    {
        var hours = new HeardHours();
        var heard = Enumerable.Range(0, 168).Where(hour => StableHash.Share($"{seed}/{hour}") < 0.03).ToHashSet();
        var monday = new DateTimeOffset(2031, 3, 10, 0, 0, 0, TimeSpan.Zero);
        foreach (var hour in heard)
        {
            hours.Note(monday.AddHours(hour).AddMinutes(59));
        }

        var last = heard.SelectMany(hour => new[] { hour - 168, hour }).Select(hour => monday.AddDays(7).AddHours(hour).AddMinutes(59));
        var (opens, closes) = (monday.AddDays(12).AddHours(22), monday.AddDays(12).AddHours(23));
        var starts = false;
        for (var at = opens; at < closes; at = at.AddMinutes(1))
        {
            starts |= last.Any(each => each <= at && each + TimeSpan.FromHours(lease) + TimeSpan.FromMinutes(1) >= at);
        }

        Assert.Equal(starts, hours.LastBefore(closes, opens - TimeSpan.FromHours(lease)) is { } found && found + TimeSpan.FromHours(lease) >= opens);
    }, iter: 500);

    private void Live(Func<int, DateTimeOffset, bool> isHeard)
    {
        var devices = Fleet.Devices.Values.ToList();
        for (var from = Now; Now < Saturday.AddDays(-5); Now += TimeSpan.FromHours(1))
        {
            foreach (var device in devices.Where(device => isHeard(int.Parse(device.Name["DESK-".Length..]), Now)))
            {
                Do(decision => CheckIns.CheckIn.Take(
                    decision, device.Id, new CheckInTold { Sequence = NextId(), FactsDigest = "", Skills = AgentSkills.All }, ToldBefore.Nothing));
            }
        }
    }

    private string? Finding(string lease) => Previewing.Prepare(
        Fleet, Ask([new WaveAsk("all", "everyone else", null, null)]) with { Lease = lease }, "D1", ask => ask.Package).Value.Findings.SingleOrDefault(
            finding => finding.Where == "lease")?.Message;
}
