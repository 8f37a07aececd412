using Bandejo.Contract.Device;
using Xunit;

namespace Bandejo.Device.Tests;

/// <summary>What an attempt does around its steps, on a machine in memory whose power can go at any moment.</summary>
public sealed class SurroundingsTests
{
    private static readonly DocumentCompanion Fold = new("opens", "fold", null, ["/opt/foldline/foldline"], "Foldline sheet");

    private static readonly DocumentCompanion Sheet = new("opens", "sheet", null, ["/opt/foldline/foldline"], null);

    private static readonly DocumentRemoval Rival = new("Inkpress", "app \"inkpress\" is present", "install", FakeMachine.Step("no-inkpress"));

    [Fact]
    public async Task Companions_come_with_it_are_part_of_its_proof_and_go_with_it()
    {
        var machine = new FakeMachine();
        var package = machine.PackageWith(
            "7.2.0",
            variant =>
                variant with { Companions = [Fold], Handling = new DocumentHandling(false, true, "var/log/foldline.log", "as-told", ["var/lib/foldline"]) });
        await Order(machine, FakeMachine.Order(package));
        Assert.Equal(["foldline opens fold"], machine.Companions);
        Assert.Equal(["var/log/foldline.log"], machine.Kept);
        Assert.Equal([true], machine.Gentle);

        // Somebody takes the companion away: it is put back without installing anything.
        foreach (var path in machine.Files.Keys.Where(path => path.StartsWith("companions/", StringComparison.Ordinal)).ToList())
        {
            machine.Files.Remove(path);
        }

        machine.Proofs.Clear();
        await Order(machine, FakeMachine.Order(package, number: 1));
        Assert.Contains(machine.Proofs, proof => proof.Answer == "incomplete" && proof.Why.EndsWith(
            "but the opening of .fold files is not in place", StringComparison.Ordinal));
        Assert.Equal(["put 7.2.0"], machine.Ran);
        Assert.Equal(["foldline opens fold"], machine.Companions);

        machine.Files["var/lib/foldline/cache"] = "old";
        machine.Files["var/lib/other"] = "kept";
        await Order(machine, FakeMachine.Order(package, "remove", 2));
        Assert.Empty(machine.Companions);
        Assert.Equal(["var/lib/other"], machine.Files.Keys);
    }

    [Fact]
    public async Task An_upgrade_takes_the_companions_that_the_new_version_does_not_have_and_going_back_brings_them()
    {
        var machine = new FakeMachine();
        var earlier = machine.PackageWith("7.1.0", variant => variant with { Companions = [Sheet] });
        var newer = machine.PackageWith("7.2.0", variant => variant with { Companions = [Fold] });
        await Order(machine, FakeMachine.Order(earlier));
        await Order(machine, FakeMachine.Order(newer, number: 1));
        Assert.Equal(["foldline opens fold"], machine.Companions);

        await Order(machine, FakeMachine.Order(newer, "restore", 2, earlier));
        Assert.Equal(["foldline opens sheet"], machine.Companions);
        Assert.Equal("7.1.0", machine.Files["opt/foldline/VERSION"]);
    }

    [Fact]
    public async Task A_failed_upgrade_leaves_the_companions_of_what_is_put_back()
    {
        var machine = new FakeMachine { Commands = { ["lie"] = (_, _) => 0 } };
        await Order(machine, FakeMachine.Order(machine.PackageWith("7.1.0", variant => variant with { Companions = [Sheet] })));
        await Order(machine, FakeMachine.Order(
            machine.PackageWith("7.2.0", variant => variant with { Companions = [Fold], Install = FakeMachine.Step("lie") }), number: 1));

        Assert.Equal("no-proof", machine.Taken.Values.Single(report => report is { HasEnded: true, Order: 1 }).Outcome);
        Assert.Equal(["foldline opens sheet"], machine.Companions);
    }

    [Fact]
    public async Task Rival_software_goes_first_and_its_rule_is_the_proof()
    {
        for (var cut = 1; ; cut++)
        {
            var machine = new FakeMachine
            {
                CutAtEntry = cut, Programs = new() { ["Inkpress"] = "2.0" },
                Commands = { ["no-inkpress"] = (each, _) => each.Programs!.Remove("Inkpress") ? 0 : 1 },
            };
            machine.Give(FakeMachine.Order(machine.PackageWith("7.2.0", variant => variant with { Removals = [Rival] })));
            machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Outcome: not "waits" });
            var wasCut = !await machine.Run();
            Assert.True(!wasCut || await machine.Run(), $"cut at entry {cut}");

            Assert.Equal(["no-inkpress 7.2.0", "put 7.2.0"], machine.Ran);
            Assert.Equal("done", Assert.Single(machine.Taken.Values, report => report is { HasEnded: true, Outcome: not "waits" }).Outcome);
            if (!wasCut)
            {
                return;
            }
        }
    }

    [Fact]
    public async Task What_cannot_be_taken_away_first_stops_the_install_and_so_does_what_nobody_can_tell()
    {
        var machine = new FakeMachine { Programs = new() { ["Inkpress"] = "2.0" }, Commands = { ["no-inkpress"] = (_, _) => 5 } };
        await Order(machine, FakeMachine.Order(machine.PackageWith("7.2.0", variant => variant with { Removals = [Rival] })));
        var report = Assert.Single(machine.Taken.Values, each => each.HasEnded);
        Assert.Equal(("failed", "Inkpress, which has to go first, is still there (code 5)"), (report.Outcome, report.Message));
        Assert.Equal(["no-inkpress 7.2.0"], machine.Ran);

        var blind = new FakeMachine { Programs = null };
        await Order(blind, FakeMachine.Order(blind.PackageWith("7.2.0", variant => variant with { Removals = [Rival] })));
        Assert.Equal("Nobody could tell whether Inkpress is there, which has to go first", Assert.Single(blind.Taken.Values, each => each.HasEnded).Message);
        Assert.Empty(blind.Ran);
    }

    [Fact]
    public async Task Gone_means_builds_that_never_were_ours_too()
    {
        var machine = new FakeMachine
        {
            Programs = new() { ["Foldline"] = "5.4" }, Commands = { ["no-foldline"] = (each, _) => each.Programs!.Remove("Foldline") ? 0 : 1 },
        };
        var package = machine.PackageWith(
            "7.2.0",
            variant =>
                variant with { Removals = [new DocumentRemoval("Foldline 6 and before", "app \"foldline\" < 7", "remove", FakeMachine.Step("no-foldline"))] });
        await Order(machine, FakeMachine.Order(package, "remove"));

        Assert.Equal(["no-foldline 7.2.0"], machine.Ran);
        Assert.Equal("done", Assert.Single(machine.Taken.Values, report => report.HasEnded).Outcome);
        Assert.Contains(machine.Proofs, proof => proof is { Answer: "older", Why: "Foldline 6 and before is there" });
    }

    [Fact]
    public async Task What_is_broken_is_mended_once_and_then_installed_anew()
    {
        var machine = new FakeMachine { Commands = { ["mend"] = (_, _) => 0 } };
        var package = machine.PackageWith("7.2.0", variant => variant with { Repair = FakeMachine.Step("mend") });
        await Order(machine, FakeMachine.Order(package));
        machine.Files.Remove("opt/foldline/VERSION");
        machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Order: 1, Outcome: "done" });
        machine.Give(FakeMachine.Order(package, number: 1, tries: 2));
        Assert.True(await machine.Run());

        Assert.Equal(["put 7.2.0", "mend 7.2.0", "put 7.2.0"], machine.Ran);
    }

    [Fact]
    public async Task It_waits_until_nobody_is_signed_in()
    {
        var machine = new FakeMachine { IsSignedIn = true };
        var package = machine.PackageWith("7.2.0", variant => variant with { Handling = new DocumentHandling(true, false, null, "as-told", null) });
        machine.Until = each => each.Waits.Count > 0;
        machine.Give(FakeMachine.Order(package));
        Assert.True(await machine.Run());
        Assert.Equal(new WaitReport("D1", "Somebody is signed in, and it waits until nobody is"), Assert.Single(machine.Waits));
        Assert.Empty(machine.Ran);
        Assert.Empty(machine.Taken);

        machine.IsSignedIn = false;
        machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await machine.Run());
        Assert.Equal(["put 7.2.0"], machine.Ran);
    }

    [Fact]
    public async Task Who_signs_in_at_the_last_moment_costs_no_try()
    {
        // The first question is before the beginning, the second before the step.
        var machine = new FakeMachine { SignsInAtQuestion = 2, Until = each => each.Taken.Values.Any(report => report.Outcome == "done") };
        machine.Give(FakeMachine.Order(
            machine.PackageWith("7.2.0", variant => variant with { Handling = new DocumentHandling(true, false, null, "as-told", null) }), tries: 1));
        Assert.True(await machine.Run());
        Assert.Equal(["done", "waits"], machine.Taken.Values.Where(report => report.HasEnded).Select(report => report.Outcome).Order());
        Assert.Equal(["put 7.2.0"], machine.Ran);
    }

    [Theory]
    [InlineData("always", 0, "restart")]
    [InlineData("never", 3010, "done")]
    [InlineData("as-told", 3010, "restart")]
    [InlineData("as-told", 0, "done")]
    public async Task The_handling_says_when_to_restart(string rule, int code, string outcome)
    {
        var machine = new FakeMachine { Commands = { ["put-code"] = (each, version) => { each.Files["opt/foldline/VERSION"] = version; return code; } } };
        await Order(machine, FakeMachine.Order(machine.PackageWith(
            "7.2.0", variant => variant with { Install = FakeMachine.Step("put-code"), Handling = new DocumentHandling(false, false, null, rule, null) })));

        Assert.Equal(outcome, Assert.Single(machine.Taken.Values, report => report.HasEnded).Outcome);
    }

    private static async Task Order(FakeMachine machine, Order order)
    {
        machine.Until = each => each.Taken.Values.Any(report => report.HasEnded && report.Order == order.Number);
        machine.Give(order);
        Assert.True(await machine.Run());
    }
}
