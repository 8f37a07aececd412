using Bandejo.Core.Deployments;
using Bandejo.Core.Fleet;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests;

public class FleetFormTests
{
    private static readonly DateTimeOffset Now = new(2026, 1, 14, 10, 0, 0, TimeSpan.Zero);

    private static readonly Gen<Target> AnyTarget = Gen.Select(Gen.Enum<TargetState>(), Gen.Int[0, 20], Gen.Int[0, 3], Gen.Int[0, 15])
        .Select((state, age, harms, flags) => new Target
    {
        Device = $"d{age % 7}", Wave = 0, State = state, ProvenAt = age == 0 ? null : Now.AddDays(-age), Harms = harms, HasBegun = (flags & 1) != 0,
        IsInstalledHere = (flags & 2) != 0,
        HasFailed = (flags & 4) != 0, IsGoingBack = (flags & 8) != 0, TroubleAt = age % 3 == 0 ? null : Now.AddHours(-age),
    });

    [Fact]
    public void A_sheet_says_again_what_was_said() =>
        Gen.Select(
            Gen.Select(Gen.Int[0, 300], Gen.String, Gen.Int).List[0, 20], Gen.Select(Gen.Int[0, 70000], Gen.Int[0, 300], Gen.Int[0, 3]).List[0, 50], Gen.Bool)
            .Sample((facts, programs, isKnown) =>
        {
            var told = facts.Select(fact => new ReportedFact(
                fact.Item1, new string([.. fact.Item2.Where(c => !char.IsSurrogate(c))]), Now.AddMilliseconds(fact.Item3)))
                .ToList();
            var apps = programs.Select(program => new ReportedProgram(program.Item1, program.Item2, program.Item3)).ToList();
            var sheet = FactSheet.Kept(FactSheet.Of(told, isKnown ? apps : null).Form.ToArray());
            Assert.Equal(told, sheet.Facts());
            Assert.Equal(isKnown ? apps : null, sheet.Programs());
        });

    [Fact]
    public void A_damaged_sheet_is_refused_and_never_asks_for_more_room_than_it_has()
    {
        var form = FactSheet.Of([new ReportedFact(1, "desk", Now), new ReportedFact(2, "ALD", Now)], [new ReportedProgram(3, 4, 5)]).Form.ToArray();
        Gen.Select(Gen.Int[0, form.Length - 1], Gen.Byte, Gen.Int[0, form.Length]).Sample((at, value, length) =>
        {
            var damaged = form[..length];
            if (at < length)
            {
                damaged[at] = value;
            }

            try
            {
                FactSheet.Kept(damaged).Facts();
                FactSheet.Kept(damaged).Programs();
            }
            catch (Exception error) when (error is FormatException or ArgumentOutOfRangeException)
            {
                // A moment outside the calendar is refused by the calendar.
            }
        });
        Assert.Throws<FormatException>(() => FactSheet.Kept(form[..^1]).Programs());
        Assert.Throws<FormatException>(() => new WordBook()[0]);
    }

    [Fact]
    public void Words_that_no_sheet_says_any_more_are_let_go_and_their_numbers_used_again()
    {
        var book = new WordBook();
        FactSheet Said(params string[] words) =>
            FactSheet.Of([new ReportedFact(book.Number(words[0]), "desk", Now)], [new ReportedProgram(
                book.Number(words[1]), book.Number(words[2]), book.Number(words[3]))]);
        var kept = Said("kind", "foldline", "7.1.0", "system");
        Said("label.old", "inkwell", "4.3.0", "receipt");
        Assert.Equal(8, book.TakeChanges().New.Count);
        Assert.Empty(book.TakeChanges().New);

        book.KeepOnly([kept, FactSheet.Empty]);
        Assert.Equal(4, book.Count);
        Assert.False(book.Holds("inkwell"));
        Assert.Throws<FormatException>(() => book[5]);
        Assert.Equal((4, 8), (book.Number("label.new"), (book.Number("a"), book.Number("b"), book.Number("c"), book.Number("beyond")).Item4));
        var (gone, added) = book.TakeChanges();
        Assert.Equal([4, 5, 6, 7], gone);
        Assert.Equal([(4, "label.new"), (5, "a"), (6, "b"), (7, "c"), (8, "beyond")], added);
        Assert.Equal(
            ["kind", "foldline", "7.1.0", "system"],
            kept.Programs()!.SelectMany(program => new[] { program.Name, program.Version, program.Source }).Prepend(kept.Facts()[0].Name)
                .Select(number => book[number]));

        // As it is kept and read again, holes and all.
        var again = new WordBook([(1, "foldline"), (3, "system")]);
        Assert.Equal((2, "system", 0, 2, 4), (again.Count, again[3], again.Number("x"), again.Number("y"), again.Number("z")));
        Assert.Throws<FormatException>(() => new WordBook([(0, "kind")]).KeepOnly([kept]));
    }

    [Fact]
    public void Counts_that_follow_each_change_are_those_of_counting_all() =>
        Gen.Select(Gen.Select(Gen.Int[0, 9], AnyTarget).List[1, 60], Gen.OneOf(
            "80 % met", "95 % met, not-needed counts", "90 % met, silent left out after 3 d"))
            .Sample((changes, text) =>
        {
            var gate = Gate.Parse(text).Value;
            var counts = new WaveCounts(gate);
            var targets = new Dictionary<int, Target>();
            foreach (var (at, target) in changes)
            {
                if (targets.Remove(at, out var before))
                {
                    counts.Remove(before);
                }

                targets[at] = target;
                counts.Add(target);
            }

            if (counts.IsTroubleStale)
            {
                counts.FindTrouble(targets.Values.Select(target => target.TroubleAt));
            }

            var all = Counting.Count(targets.Values, gate, TimeSpan.FromDays(7), Heard, Now);
            var followed = counts.Tally(targets.Values, TimeSpan.FromDays(7), Heard, Now);
            Assert.Equal(all.States, followed.States);
            Assert.Equal(all with { States = followed.States }, followed);
        });

    private static DateTimeOffset? Heard(string device) => device == "d0" ? null : Now.AddDays(-(device[1] - '0'));
}
