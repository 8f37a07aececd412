using Bandejo.Contract.Device;
using Xunit;

namespace Bandejo.Device.Tests;

/// <summary>The device engine on a machine in memory whose power can go at any moment.</summary>
public sealed class EngineTests
{
    [Fact]
    public async Task Wherever_the_power_goes_during_an_install_it_is_installed_once_and_told_once()
    {
        for (var entry = 1; ; entry++)
        {
            var machine = new FakeMachine { CutAtEntry = entry };
            machine.Give(FakeMachine.Order(machine.Package("7.2.0")));
            machine.Until = each => each.Taken.Values.Any(report => report.Outcome == "done");
            var wasCut = !await machine.Run();
            if (wasCut)
            {
                Assert.True(await machine.Run(), $"cut at entry {entry}");
            }

            Assert.Equal(["put 7.2.0"], machine.Ran);
            Assert.Equal("7.2.0", machine.Files["opt/foldline/VERSION"]);
            var isAnew = machine.Taken.Values.Count(report => report.Outcome == "waits");
            Assert.InRange(isAnew, 0, wasCut ? 1 : 0);
            Assert.Single(machine.Taken.Values, report => report.Outcome == "done");
            Assert.Equal((1 + isAnew) * 2, machine.Taken.Count);
            if (!wasCut)
            {
                Assert.True(entry > 6, "The journal has an entry for each phase.");
                return;
            }
        }
    }

    [Fact]
    public async Task What_was_put_back_but_for_a_restart_is_told_after_it_and_not_done_again()
    {
        var (machine, _) = await PuttingBack();
        Assert.Equal("restart", Assert.Single(machine.Taken.Values, report => report is { HasEnded: true, Order: 2 }).Outcome);
        var ran = machine.Ran.Count;

        machine.BootId = "boot-2";
        machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Order: 2, Outcome: "done" });
        Assert.True(await machine.Run());
        Assert.Equal(ran, machine.Ran.Count);
        Assert.Equal("7.1.0", machine.Files["opt/foldline/VERSION"]);
    }

    [Fact]
    public async Task What_one_deployment_puts_back_is_back_before_another_begins_with_the_same_app()
    {
        var (machine, back) = await PuttingBack();

        // Another wants the newer version; the first still waits for a restart.
        var other = FakeMachine.Order(machine.Package("7.2.0")) with { Deployment = "D2" };
        machine.Give(other, back);
        machine.Until = each => each.Waits.Any(wait => wait.Deployment == "D2");
        Assert.True(await machine.Run());
        Assert.Equal("A restart comes first, for what was done last", machine.Waits.Single(wait => wait.Deployment == "D2").Why);
        Assert.DoesNotContain(machine.Taken.Values, report => report.Deployment == "D2");

        // After it the first finds that what was before is there, and only then the other begins.
        machine.BootId = "boot-2";
        machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Deployment: "D2" });
        Assert.True(await machine.Run());
        Assert.Contains(machine.Taken.Values, report => report is { HasEnded: true, Deployment: "D1", Order: 2, Outcome: "done" });
        Assert.Equal("7.2.0", machine.Files["opt/foldline/VERSION"]);
    }

    [Fact]
    public async Task Nothing_is_changed_that_was_called_back_before_the_first_step()
    {
        var machine = new FakeMachine();
        var closing = new TaskCompletionSource();
        machine.HoldClose = closing.Task;
        var order = FakeMachine.Order(machine.PackageWith("7.2.0", variant => variant with { Close = ["foldline"] }));
        machine.Give(order);
        machine.OnceBegun(() => machine.Give(order with { MayStart = false }), each => each.KnowsItsOrders, closing);
        Assert.True(await machine.Run());
        Assert.Equal(("waits", "called-back"), machine.Taken.Values.Where(report => report.HasEnded).Select(report => (report.Outcome, report.Phase)).Single());
        Assert.Empty(machine.Ran);
    }

    [Fact]
    public async Task What_was_cut_off_before_it_changed_anything_begins_anew_only_where_it_may_begin()
    {
        for (var entry = 1; ; entry++)
        {
            var machine = new FakeMachine { CutAtEntry = entry };
            machine.Give(FakeMachine.Order(machine.Package("7.2.0")) with { Start = new OrderStart("nobody", false) });
            machine.Until = each => each.Taken.Values.Any(report => report.Outcome == "done") || each.Waits.Count > 0;
            if (await machine.Run())
            {
                Assert.True(entry > 6, "The journal has an entry for each phase.");
                return;
            }

            machine.IsSignedIn = true;
            var hadBegun = machine.Ran.Count > 0;
            Assert.True(await machine.Run(), $"cut at entry {entry}");
            Assert.Equal((hadBegun ? 1 : 0, hadBegun ? 0 : 1), (machine.Ran.Count, machine.Waits.Count));
        }
    }

    [Fact]
    public async Task Nothing_is_changed_once_its_lease_ran_out_before_the_first_step()
    {
        var machine = new FakeMachine();
        var closing = new TaskCompletionSource();
        machine.HoldClose = closing.Task;
        machine.Give(FakeMachine.Order(machine.PackageWith("7.2.0", variant => variant with { Close = ["foldline"] }), lease: 3600));
        machine.Wrote = entry => machine.IsOffline = entry is AttemptMoved { Phase: "close" } || (machine.IsOffline && entry is not AttemptEnded);
        machine.Unreached = () =>
        {
            machine.Time.Move(TimeSpan.FromHours(1));
            closing.TrySetResult();
        };
        Assert.True(await machine.Run());
        Assert.Equal("The service was not heard for 1 h before anything was changed here", machine.Taken.Values.Single(report => report.HasEnded).Message);
        Assert.Empty(machine.Ran);
    }

    [Fact]
    public async Task No_try_begins_on_an_order_that_is_taken_back_while_it_is_looked_at()
    {
        var machine = new FakeMachine();
        using var knows = new ManualResetEventSlim();
        var order = FakeMachine.Order(machine.Package("7.2.0")) with { Start = new OrderStart("nobody", true) };
        machine.Give(order);
        var (isBack, checkIns) = (false, 0);
        machine.LooksWhoIsThere = () =>
        {
            // The last thing that is asked before a try begins.
            if (!isBack)
            {
                isBack = true;
                machine.Give(order with { MayStart = false });
                Assert.True(knows.Wait(TimeSpan.FromSeconds(60)));
            }
        };
        machine.Until = each =>
        {
            if (isBack && each.KnowsItsOrders)
            {
                knows.Set();
                return ++checkIns > 3;
            }

            return each.Taken.Count > 0;
        };
        Assert.True(await machine.Run());
        Assert.True(isBack);
        Assert.Empty(machine.Taken);
        Assert.Empty(machine.Ran);
    }

    [Fact]
    public async Task Nothing_is_put_back_that_was_called_back_where_nothing_had_to_be_taken_away()
    {
        var machine = await Installed("7.2.0");
        machine.Files.Remove("opt/foldline/VERSION");
        machine.Ran.Clear();
        var fetching = new TaskCompletionSource();
        machine.HoldFetch = fetching.Task;
        var order = FakeMachine.Order(machine.Package("7.2.0"), "restore", 2, machine.Package("7.1.0"));
        machine.Give(order);
        machine.OnceBegun(() => machine.Give(order with { MayStart = false }), each => each.KnowsItsOrders, fetching, number: 2);
        Assert.True(await machine.Run());
        var told = Assert.Single(machine.Taken.Values, report => report is { HasEnded: true, Order: 2 });
        Assert.Equal(("waits", "called-back"), (told.Outcome, told.Phase));
        Assert.Empty(machine.Ran);
        Assert.DoesNotContain("opt/foldline/VERSION", machine.Files.Keys);
    }

    [Fact]
    public async Task Orders_are_heard_before_logs_are_sent()
    {
        var machine = new FakeMachine();
        var (before, atLog) = (0, 0);
        machine.SendsLog = () =>
        {
            atLog = machine.Appends;
            machine.Reached.Cancel();
        };
        machine.Give(FakeMachine.Order(machine.Package("7.2.0")));
        machine.Until = each =>
        {
            if (before == 0 && each.Taken.Values.Any(report => report.HasEnded))
            {
                // The answer to this has the log sent, and brings other orders.
                each.Give();
                before = each.Appends;
            }

            return false;
        };
        Assert.True(await machine.Run());

        // What is acknowledged and what is to be done are both written down by then.
        Assert.Equal(before + 2, atLog);
    }

    [Fact]
    public async Task A_device_whose_clock_was_ahead_goes_on_from_the_number_that_was_taken()
    {
        var machine = new FakeMachine { NumberTaken = TimeProvider.System.GetUtcNow().AddYears(1).ToUnixTimeMilliseconds() };
        machine.Give(FakeMachine.Order(machine.Package("7.2.0")));
        Assert.True(await machine.Run());
        Assert.Equal(["put 7.2.0"], machine.Ran);
    }

    [Fact]
    public async Task A_number_that_no_clock_can_have_is_not_believed()
    {
        var machine = new FakeMachine { NumberTaken = long.MaxValue, RefusalsWanted = 2 };
        machine.Give(FakeMachine.Order(machine.Package("7.2.0")));
        Assert.True(await machine.Run());
        Assert.Empty(machine.Taken);
        Assert.All(machine.Refused, number => Assert.InRange(number, 1, TimeProvider.System.GetUtcNow().AddDays(1).ToUnixTimeMilliseconds()));
    }

    [Fact]
    public async Task A_step_that_takes_much_longer_than_expected_is_told_of_while_it_runs_and_counts_once()
    {
        var machine = new FakeMachine();
        machine.HoldStep = machine.IsTold;
        machine.Give(FakeMachine.Order(machine.Package("7.2.0")));
        Assert.True(await machine.Run());
        Assert.Contains("It takes much longer than the 1 s that were expected; it is ended after 1 min", machine.Said.Select(report => report.Message));
        Assert.Equal(["put 7.2.0"], machine.Ran);
        Assert.Equal("done", Assert.Single(machine.Taken.Values, report => report.HasEnded).Outcome);
    }

    [Fact]
    public async Task Wherever_the_power_goes_a_broken_upgrade_leaves_the_earlier_version()
    {
        for (var entry = 1; ; entry++)
        {
            var machine = await Installed("7.1.0");
            machine.Give(FakeMachine.Order(machine.Package("7.2.0", install: "break"), number: 1));
            machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Order: 1, Outcome: not "waits" });
            var entries = entry + machine.Appends;
            machine.CutAtEntry = entries;
            var wasCut = !await machine.Run();
            if (wasCut)
            {
                Assert.True(await machine.Run(), $"cut at entry {entry}");
            }

            var report = Assert.Single(machine.Taken.Values, each => each is { HasEnded: true, Order: 1, Outcome: not "waits" });
            Assert.Equal("failed", report.Outcome);
            Assert.Equal("7.1.0", machine.Files["opt/foldline/VERSION"]);
            Assert.Equal("7.1.0", report.Before);
            if (!wasCut)
            {
                Assert.Contains("7.1.0 was put back", report.Message);
                return;
            }
        }
    }

    [Fact]
    public async Task A_step_that_was_cut_off_is_proven_first_and_then_tried_again()
    {
        var machine = new FakeMachine { CutInStep = true };
        machine.Give(FakeMachine.Order(machine.Package("7.2.0"), tries: 3));
        Assert.False(await machine.Run());
        machine.Until = each => each.Taken.Values.Any(report => report.Outcome == "done");
        Assert.True(await machine.Run());
        Assert.Equal(["put 7.2.0", "put 7.2.0"], machine.Ran);
        Assert.Equal(["done", "interrupted"], machine.Taken.Values.Where(report => report.HasEnded).Select(report => report.Outcome).Order());
    }

    [Fact]
    public async Task Whichever_answer_is_lost_nothing_is_done_twice()
    {
        for (var lost = 1; lost <= 4; lost++)
        {
            var machine = new FakeMachine { LoseAnswer = lost };
            machine.Give(FakeMachine.Order(machine.Package("7.2.0")));
            Assert.True(await machine.Run(), $"answer {lost}");
            Assert.Equal(["put 7.2.0"], machine.Ran);
            Assert.Equal("done", Assert.Single(machine.Taken.Values, report => report.HasEnded).Outcome);
        }
    }

    [Fact]
    public async Task A_package_that_was_withdrawn_is_refused_also_offline()
    {
        var machine = new FakeMachine();
        var package = machine.Package("7.2.0");
        machine.Withdrawn = machine.WithdrawnList(3, package.Digest);
        machine.Give();
        machine.Until = each => true;
        await machine.Run();
        machine.Withdrawn = null;
        machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        machine.Give(FakeMachine.Order(package));
        Assert.True(await machine.Run());
        Assert.Equal("withdrawn", Assert.Single(machine.Taken.Values, report => report.HasEnded).Outcome);
        Assert.Empty(machine.Ran);
    }

    [Fact]
    public async Task An_older_list_of_withdrawn_packages_does_not_take_a_newer_one_back()
    {
        var machine = new FakeMachine();
        var package = machine.Package("7.2.0");
        machine.Until = each => true;
        foreach (var list in new[] { machine.WithdrawnList(3, package.Digest), machine.WithdrawnList(2) })
        {
            machine.Withdrawn = list;
            machine.Give();
            await machine.Run();
        }

        machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        machine.Give(FakeMachine.Order(package));
        Assert.True(await machine.Run());
        Assert.Empty(machine.Ran);
    }

    [Fact]
    public async Task What_a_stranger_sealed_is_never_run()
    {
        var machine = new FakeMachine();
        machine.Give(FakeMachine.Order(machine.Package("7.2.0", isForged: true)));
        Assert.True(await machine.Run());
        Assert.Equal("bad-signature", Assert.Single(machine.Taken.Values, report => report.HasEnded).Outcome);
        Assert.Empty(machine.Ran);
    }

    [Fact]
    public async Task A_seal_for_another_version_does_not_hold()
    {
        var machine = new FakeMachine();
        machine.Give(FakeMachine.Order(machine.Package("7.2.0") with { Version = "9.0" }));
        Assert.True(await machine.Run());
        Assert.Equal("bad-signature", Assert.Single(machine.Taken.Values, report => report.HasEnded).Outcome);
    }

    [Fact]
    public async Task An_order_is_carried_out_once_however_often_the_agent_starts()
    {
        var machine = await Installed("7.2.0");
        machine.Until = each => each.Proofs.Count > 0;
        machine.Proofs.Clear();
        Assert.True(await machine.Run());
        Assert.Equal(["put 7.2.0"], machine.Ran);
        Assert.Equal("present", machine.Proofs[^1].Answer);
    }

    [Fact]
    public async Task Going_back_takes_the_new_away_and_puts_the_old_in_its_place()
    {
        var machine = await Installed("7.1.0");
        var newer = machine.Package("7.2.0");
        machine.Give(FakeMachine.Order(newer, number: 1));
        machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Order: 1 });
        Assert.True(await machine.Run());
        machine.Give(FakeMachine.Order(newer, "restore", 2, machine.Package("7.1.0")));
        machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Order: 2 });
        Assert.True(await machine.Run());
        Assert.Equal(["put 7.1.0", "put 7.2.0", "take 7.2.0", "put 7.1.0"], machine.Ran);
        Assert.Equal("7.1.0", machine.Files["opt/foldline/VERSION"]);
    }

    [Fact]
    public async Task Removing_proves_that_it_is_gone_and_what_is_not_there_needs_no_attempt()
    {
        var machine = await Installed("7.2.0");
        machine.Give(FakeMachine.Order(machine.Package("7.2.0"), "remove", 1));
        machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Order: 1 });
        Assert.True(await machine.Run());
        Assert.False(machine.Files.ContainsKey("opt/foldline/VERSION"));
        machine.Give(FakeMachine.Order(machine.Package("7.2.0"), "remove", 2));
        machine.Proofs.Clear();
        machine.Until = each => each.Proofs.Any(proof => proof.Order == 2);
        Assert.True(await machine.Run());
        Assert.Equal(["put 7.2.0", "take 7.2.0"], machine.Ran);
        Assert.Equal("absent", machine.Proofs[^1].Answer);
    }

    /// <summary>A machine that puts the earlier version back, and has to be restarted for it.</summary>
    private static async Task<(FakeMachine Machine, Order Back)> PuttingBack()
    {
        var machine = await Installed("7.1.0");
        var earlier = FakeMachine.Order(machine.Package("7.1.0")).Package;
        machine.Give(FakeMachine.Order(machine.Package("7.2.0"), number: 1));
        machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Order: 1 });
        Assert.True(await machine.Run());
        var put = machine.Commands["put"];
        machine.Commands["put"] = (each, version) => put(each, version) + 3010;
        var back = FakeMachine.Order(machine.Package("7.2.0"), "restore", 2, earlier);
        machine.Give(back);
        machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Order: 2 });
        Assert.True(await machine.Run());
        return (machine, back);
    }

    private static async Task<FakeMachine> Installed(string version)
    {
        var machine = new FakeMachine();
        machine.Give(FakeMachine.Order(machine.Package(version)));
        Assert.True(await machine.Run());
        return machine;
    }


    [Fact]
    public async Task Settings_become_words_environment_and_answers_and_a_changed_one_runs_the_change_step()
    {
        var machine = new FakeMachine();
        var package = machine.PackageWithSettings();
        machine.Give(FakeMachine.Order(package) with { Settings = new Dictionary<string, string> { ["licence"] = "geheim" } });
        Assert.True(await machine.Run());
        Assert.Equal(["put 7.2.0 --site=HQ KEY=geheim a.ini:s=HQ\nl=geheim"], machine.Ran);
        Assert.Contains("geheim", machine.Hidden);

        // The same again asks for nothing.
        machine.Proofs.Clear();
        machine.Until = each => each.Proofs.Any(proof => proof.Order == 1);
        machine.Give(FakeMachine.Order(package, number: 1) with { Settings = new Dictionary<string, string> { ["licence"] = "geheim" } });
        Assert.True(await machine.Run());
        Assert.Equal("present", machine.Proofs[^1].Answer);
        Assert.Single(machine.Ran);

        machine.Until = each => each.Taken.Values.Count(report => report.HasEnded) == 2;
        machine.Give(FakeMachine.Order(package, number: 2) with { Settings = new Dictionary<string, string> { ["site"] = "ALD" } });
        Assert.True(await machine.Run());
        Assert.Equal(["put 7.2.0 --site=HQ KEY=geheim a.ini:s=HQ\nl=geheim", "set 7.2.0 ALD"], machine.Ran);
        Assert.Contains(machine.Proofs, proof => proof.Answer == "different" && proof.Why.EndsWith(
            "but with other settings: licence, site", StringComparison.Ordinal));

        // It is taken away with the settings it has, not with those of the order.
        machine.Until = each => each.Taken.Values.Count(report => report.HasEnded) == 3;
        machine.Give(FakeMachine.Order(package, kind: "remove", number: 3));
        Assert.True(await machine.Run());
        Assert.Equal("take 7.2.0 ALD", machine.Ran[^1]);
    }

    [Fact]
    public async Task A_change_that_fails_is_not_met_although_the_version_is_there()
    {
        var machine = new FakeMachine { Files = { ["opt/foldline/VERSION"] = "7.2.0" } };
        machine.Give(FakeMachine.Order(machine.PackageWithSettings("refuse")) with { Settings = new Dictionary<string, string> { ["site"] = "ALD" } });

        Assert.True(await machine.Run());

        Assert.Equal(["refuse 7.2.0 ALD"], machine.Ran);
        var report = Assert.Single(machine.Taken.Values, report => report.HasEnded);
        Assert.Equal(("failed", 9), (report.Outcome, report.ExitCode));
        Assert.Contains(machine.Proofs, proof => proof.Why.Contains("but nobody knows its settings: site", StringComparison.Ordinal));
    }

    [Fact]
    public async Task What_cannot_change_its_settings_keeps_them_and_says_so()
    {
        var machine = new FakeMachine { Files = { ["opt/foldline/VERSION"] = "7.2.0" }, Until = each => each.Proofs.Count > 0 };
        machine.Give(FakeMachine.Order(machine.PackageWithSettings(change: null)) with { Settings = new Dictionary<string, string> { ["site"] = "ALD" } });

        Assert.True(await machine.Run());

        Assert.Empty(machine.Ran);
        Assert.Equal(("present", true), (machine.Proofs[0].Answer, machine.Proofs[0].Why.EndsWith(
            "it keeps its settings (site), since the package cannot change them", StringComparison.Ordinal)));
    }

    [Fact]
    public async Task Wherever_the_power_goes_during_a_change_it_is_changed_and_told()
    {
        for (var cut = 1; cut < 12; cut++)
        {
            var machine = new FakeMachine { Files = { ["opt/foldline/VERSION"] = "7.2.0" }, CutAtEntry = cut };
            machine.Give(FakeMachine.Order(machine.PackageWithSettings(), tries: 3) with { Settings = new Dictionary<string, string> { ["site"] = "ALD" } });
            machine.Until = each => each.Taken.Values.Any(report => report is { HasEnded: true, Outcome: "done" });
            if (!await machine.Run())
            {
                Assert.True(await machine.Run(), $"after the cut at entry {cut}");
            }

            Assert.All(machine.Ran, ran => Assert.Equal("set 7.2.0 ALD", ran));
            Assert.NotEmpty(machine.Ran);
        }
    }
}
