using System.Globalization;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Core.Tests;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.Chaos.Tests;

/// <summary>
/// What comes in made up at random, for as long as one likes: files, rules, gates, manifests; and what a hostile device says to a real service.
/// </summary>
public sealed class FuzzingTests(ITestOutputHelper output)
{
    private static readonly TimeSpan Length = TimeSpan.FromSeconds(Number("BANDEJO_CHAOS_SECONDS", 6));
    private static readonly int Seed = Number("BANDEJO_CHAOS_SEED", 1);

    [Fact]
    public void Whatever_comes_in_is_read_or_refused_in_time()
    {
        output.WriteLine($"seed {Seed}; again with: make chaos SEED={Seed}");
        var watch = global::System.Diagnostics.Stopwatch.StartNew();
        var tries = 0;
        for (var seed = Seed; watch.Elapsed < Length; seed++)
        {
            foreach (var what in Fuzz.All.Keys)
            {
                Fuzz.Try(what, seed);
                tries++;
            }
        }

        output.WriteLine($"{tries} tries");
    }

    [Fact]
    public async Task A_device_that_breaks_the_protocol_meets_refusals_and_no_fault_of_ours_and_hurts_nobody()
    {
        await using var site = await Site.StartApart();
        await site.Package("foldline", "7.2.0", "exit 0");
        var code = (
            await site.Admin.Post(
                "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled, 2), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        using var hostile = await HostileDevice.Join(site.Service.Address, code);
        using var honest = new DeviceClient(site.Service.Address);
        await honest.Join(code, "HONEST-01");
        var id = await site.Deploy("foldline", Site.Enrolled, "--halt", "never");
        var memory = site.Process.Memory();
        var random = new Random(Seed);
        var watch = global::System.Diagnostics.Stopwatch.StartNew();
        var (sent, taken) = (0L, 0);
        for (var renewed = TimeSpan.Zero; watch.Elapsed < Length;)
        {
            var message = hostile.Message(++sent, id);
            HostileDevice.Break(message, random);
            var (status, body) = await hostile.CheckIn(message.ToJsonString());
            Assert.True(status < 500, $"Seed {Seed}, message {sent}: {status} {body}\n{message}");
            taken += status == 200 ? 1 : 0;
            if (watch.Elapsed - renewed > TimeSpan.FromMinutes(5))
            {
                (renewed, _) = (watch.Elapsed, 0);
                await hostile.Renew();
            }
        }

        await honest.CheckIn(1);
        Assert.True(taken > 0 && taken < sent, $"{taken} of {sent} messages were taken; that proves nothing.");
        Assert.InRange(site.Process.Memory() - memory, long.MinValue, 600L << 20);
        await site.Process.Kill();
        await site.Service.Start();
        Assert.Equal(0, (await site.Run("deployment", "show", id)).Code);
        output.WriteLine($"{sent} messages, {taken} taken");
    }

    private static int Number(string name, int otherwise) =>
        int.TryParse(Environment.GetEnvironmentVariable(name), NumberStyles.None, CultureInfo.InvariantCulture, out var number) ? number : otherwise;
}
