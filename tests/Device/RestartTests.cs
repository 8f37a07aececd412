using Bandejo.Contract.Device;
using Xunit;

namespace Bandejo.Device.Tests;

/// <summary>Restarts: whether, when, and once for all that wait for one.</summary>
public sealed class RestartTests
{
    private static readonly OrderRestart WithInstall = new("with-install", "never", null);

    private readonly FakeMachine _machine = new();

    public RestartTests() => _machine.Commands["put"] = (machine, version) =>
    {
        machine.Files["opt/foldline/VERSION"] = version;
        return 3010;
    };

    [Fact]
    public async Task It_restarts_once_and_proves_again()
    {
        Give(WithInstall);
        _machine.Until = each => each.Proofs.Any(proof => proof.Answer == "present");
        Assert.True(await _machine.Run());
        Assert.Equal("restart", _machine.Taken.Values.Single(report => report.HasEnded).Outcome);
        Assert.Equal([(TimeSpan.Zero, "This device restarts to complete foldline 7.2.0.")], _machine.Restarted);
        Assert.Equal(["put 7.2.0"], _machine.Ran);
    }

    [Fact]
    public async Task Somebody_who_is_signed_in_is_waited_for_and_the_service_is_told()
    {
        _machine.IsSignedIn = true;
        Give(WithInstall);
        _machine.Until = each => each.Waits.Count > 0;
        Assert.True(await _machine.Run());
        Assert.Equal(new WaitReport("D1", "It restarts when nobody is signed in"), _machine.Waits.Single());
        Assert.Empty(_machine.Restarted);

        // Its agent was started anew meanwhile; what it waits for is in its journal.
        _machine.IsSignedIn = false;
        _machine.Until = each => each.Restarted.Count > 0;
        Assert.True(await _machine.Run());
    }

    [Fact]
    public async Task At_the_latest_moment_whoever_is_signed_in_has_notice()
    {
        _machine.IsSignedIn = true;
        Give(WithInstall with { AfterSeconds = 1 });
        _machine.Until = each => each.Restarted.Count > 0;
        Assert.True(await _machine.Run());
        Assert.Equal(TimeSpan.FromMinutes(15), _machine.Restarted.Single().Notice);
    }

    [Theory]
    [InlineData(null)]
    [InlineData("never")]
    public async Task What_is_left_to_people_is_not_done_by_the_agent(string? when)
    {
        Give(when is null ? null : new OrderRestart(when, when, null));
        _machine.Until = each => each.Waits.Count > 0;
        Assert.True(await _machine.Run());
        Assert.Equal("Its restart is left to people", _machine.Waits.Single().Why);
        Assert.Empty(_machine.Restarted);
        Assert.True(_machine.SaysRestartPending);
    }

    [Fact]
    public async Task While_it_is_about_to_go_down_nothing_is_begun_and_it_is_not_asked_again()
    {
        _machine.StaysOn = true;
        Give(WithInstall);
        _machine.Until = each => each.Restarted.Count > 0;
        Assert.True(await _machine.Run());

        // Something else could start now, and the agent is started anew; it knows what it asked for.
        _machine.Give(
            FakeMachine.Order(_machine.Package("7.2.0")) with { Restart = WithInstall },
            FakeMachine.Order(Quill()) with { Deployment = "D2" });
        _machine.Until = each => each.Taken.Values.Any(report => report.Deployment == "D2");
        Assert.False(await _machine.Run(TimeSpan.FromSeconds(3)));
        Assert.Single(_machine.Restarted);
    }

    [Fact]
    public async Task Two_that_wait_for_one_share_it_and_the_gentler_says_when()
    {
        var began = TimeProvider.System.GetUtcNow();
        _machine.Give(
            FakeMachine.Order(_machine.Package("7.2.0")) with { Restart = WithInstall },
            FakeMachine.Order(Quill()) with { Deployment = "D2", Restart = new("never", "never", 2) });
        _machine.Until = each => each.Proofs.Where(proof => proof.Answer == "present").Select(proof => proof.Deployment).Distinct().Count() == 2;
        Assert.True(await _machine.Run());
        Assert.True(TimeProvider.System.GetUtcNow() - began >= TimeSpan.FromSeconds(2));
        Assert.Equal((TimeSpan.Zero, "This device restarts to complete foldline 7.2.0, quill 1.0."), Assert.Single(_machine.Restarted));
    }

    [Fact]
    public async Task What_must_be_so_at_the_start_is_waited_for_and_is_no_try()
    {
        (_machine.IsSignedIn, _machine.IsOnMains) = (true, false);
        _machine.Give(FakeMachine.Order(_machine.Package("7.2.0")) with { Start = new OrderStart("nobody", true) });
        foreach (var (signsOut, says) in new[] { (false, "Somebody is signed in, and it waits until nobody is"), (true, "It runs on battery, and waits for mains power") })
        {
            _machine.IsSignedIn = !signsOut;
            _machine.Until = each => each.Waits.Any(wait => wait.Why == says);
            Assert.True(await _machine.Run());
            Assert.Empty(_machine.Ran);
        }

        _machine.IsOnMains = true;
        _machine.Until = each => each.Taken.Values.Any(report => report.HasEnded);
        Assert.True(await _machine.Run());
        Assert.Equal(["put 7.2.0"], _machine.Ran);
        Assert.Equal(2, _machine.Taken.Count);
    }

    [Fact]
    public async Task A_deployment_that_was_stopped_restarts_nobody()
    {
        _machine.IsSignedIn = true;
        Give(WithInstall);
        _machine.Until = each => each.Waits.Count > 0;
        Assert.True(await _machine.Run());
        _machine.IsSignedIn = false;
        _machine.Give(FakeMachine.Order(_machine.Package("7.2.0")) with { Restart = WithInstall, MayStart = false });
        _machine.Until = each => each.KnowsItsOrders && each.Waits.Count == 0;
        Assert.True(await _machine.Run());
        Assert.Empty(_machine.Restarted);
    }

    private PackageLink Quill()
    {
        _machine.Commands["put-quill"] = (machine, version) =>
        {
            machine.Files["opt/quill/VERSION"] = version;
            return 3010;
        };
        return _machine.PackageWith(
            "1.0",
            variant => variant with
            {
                Install = FakeMachine.Step("put-quill"), Present = [new DocumentCheck("version-in", "opt/quill/VERSION", [], null, null, null)],
            },
            "quill");
    }

    private void Give(OrderRestart? restart) => _machine.Give(FakeMachine.Order(_machine.Package("7.2.0")) with { Restart = restart });
}
