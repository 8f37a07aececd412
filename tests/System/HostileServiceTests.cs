using System.Diagnostics;
using System.Text;
using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Kit;
using Microsoft.AspNetCore.Http;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>
/// Somebody answers in the service's place. The real agent, which would be root on a real machine, does nothing for them that no trusted key has sealed, and
/// goes on.
/// </summary>
public sealed class HostileServiceTests
{
    private const string Put = "mkdir -p \"$BANDEJO_ROOT/opt/foldline\" && echo 7.2.0 > \"$BANDEJO_ROOT/opt/foldline/VERSION\"";

    /// <summary>A document whose presence check, and each of its steps, leave a trace on the machine.</summary>
    private static byte[] Touching(string app = "foldline") => HostileService.Document("touch \"$BANDEJO_ROOT/owned\"", app, change: variant => variant with
    {
        Present = [new DocumentCheck("command", "sh", ["-c", "touch \"$BANDEJO_ROOT/owned\""], null, null, null)],
        Remove = variant.Install,
    });

    [Fact]
    public async Task Nothing_of_a_package_that_no_trusted_key_has_sealed_is_carried_out_or_even_fetched()
    {
        await using var service = await HostileService.Start();
        var forged = service.Serve(Touching(), isSealed: false);
        string[] kinds = ["install", "remove", "restore", "trial", "offer"];
        service.Answers = request =>
            HostileService.Give(request, [
                .. kinds.Select(kind => HostileService.Order(forged, "may-" + kind, kind, mayStart: true, previous: forged)),
                .. kinds.Select(kind => HostileService.Order(forged, "not-" + kind, kind, mayStart: false, previous: forged))]);
        await using var agent = await service.Agent();
        await service.Until(each => kinds[..4].All(kind => each.Ended("may-" + kind) is not null), "all that may start have ended");
        var before = service.CheckIns.Count;
        await agent.Says("Cannot look for foldline", 4);
        await service.Until(each => each.CheckIns.Count > before + 1, "it goes on");

        Assert.False(File.Exists(Path.Combine(agent.Root, "owned")));
        Assert.DoesNotContain(service.Asked, asked => asked.Contains("/files/"));
        Assert.All(kinds[..4], kind => Assert.Equal("bad-signature", service.Ended("may-" + kind)!.Outcome));
    }

    [Fact]
    public async Task A_seal_is_good_for_just_the_document_app_and_version_that_it_was_made_for()
    {
        await using var service = await HostileService.Start();
        var good = service.Serve(HostileService.Document("true", "circdesk", "1.0.0"), "circdesk", "1.0.0");
        var other = service.Serve(Touching());
        var renamed = service.Serve(Touching("circdesk"), "foldline");
        service.Answers = request =>
            HostileService.Give(
                request, HostileService.Order(good with { Digest = other.Digest }, "D1"), HostileService.Order(good with { Version = "9.9" }, "D2"),
                HostileService.Order(renamed, "D3"));
        await using var agent = await service.Agent();
        await service.Until(each => new[] { "D1", "D2", "D3" }.All(name => each.Ended(name) is not null), "all three have ended");

        Assert.All(new[] { "D1", "D2", "D3" }, name => Assert.Equal("bad-signature", service.Ended(name)!.Outcome));
        Assert.False(File.Exists(Path.Combine(agent.Root, "owned")));
    }

    [Fact]
    public async Task An_acknowledgement_means_only_what_was_sent()
    {
        await using var service = await HostileService.Start();
        service.Answers = request =>
            HostileService.Give(request)
                .Replace("\"acknowledged\":[", "\"acknowledged\":[\"../../../../../keep/ended\",\"../said\",\"x/ended\"" + (
                    request.Attempts.Count > 0 ? "," : ""));
        await using var agent = await service.Agent(prepare: each =>
        {
            each.Write("keep/log", "not for the service");
            each.Write("keep/more", "stays");
        });
        await service.Until(each => each.CheckIns.Count >= 3, "it has checked in three times");

        Assert.Equal("stays", agent.Read("keep/more"));
        Assert.DoesNotContain(service.Asked, asked => asked.StartsWith("PUT", StringComparison.Ordinal));
    }

    [Fact]
    public async Task What_cannot_be_carried_out_is_refused_and_told_and_keeps_nothing_else_from_being_done()
    {
        await using var service = await HostileService.Start();
        var good = service.Serve(HostileService.Document(Put));
        string[] bad =
        [
            "null", "7", "{}", "[]", "\"x\"", HostileService.Order(good with { Digest = "../../etc/passwd" }, "D2"),
            HostileService.Order(good with { Digest = new string('A', 64) }, "D3"), HostileService.Order(good, "../../x"),
            HostileService.Order(good with { App = "../../x" }, "D4"), HostileService.Order(good with { Seal = "" }, "D5"),
            HostileService.Order(good, "D6").Replace("\"variant\":\"linux\"", "\"variant\":null"),
            HostileService.Order(good, "D7").Replace("\"leaseSeconds\":3600", "\"leaseSeconds\":1e99"), HostileService.Order(good, "D1"),
            HostileService.Order(good, "D1"),
        ];
        service.Answers = request => HostileService.Give(request, bad);
        await using var agent = await service.Agent();
        await service.Until(each => each.Ended("D1") is not null, "the one good order has ended");
        Assert.Equal("done", service.Ended("D1")!.Outcome);
        await agent.Says("An order was refused", 1);
        await service.Until(
            each =>
                each.CheckIns.Any(
                    request => request.Waits?.Any(wait => wait.Deployment == "D2" && wait.Why.Contains("not a digest", StringComparison.Ordinal)) == true),
            "what it refuses is told to the service, which says it at the target");

        // Nothing of it is kept: the agent starts again and goes on.
        await agent.Kill();
        await agent.Start();
        var before = service.CheckIns.Count;
        await service.Until(each => each.CheckIns.Count > before + 1, "it checks in again");
        lock (agent.Lines)
        {
            Assert.Single(agent.Lines, line => line.Contains("its app has no valid name"));
        }
    }

    [Fact]
    public async Task An_answer_that_is_none_ends_nobody()
    {
        string[] answers =
        [
            "null", "[]", """{"acknowledged":null,"wantsFacts":false,"orders":null,"ordersTag":null,"nextSeconds":1}""",
            """{"acknowledged":[null],"wantsFacts":false,"ordersTag":"","nextSeconds":1}""",
            """{"acknowledged":[],"wantsFacts":false,"orders":{},"ordersTag":"","nextSeconds":99999999999}""",
            """{"acknowledged":[],"wantsFacts":true,"orders":[],"ordersTag":"","nextSeconds":-5,"withdrawn":"a.b.c"}""",
            "{\"acknowledged\":[", "<html>", """{"acknowledged":[],"wantsFacts":false,"orders":[],"ordersTag":"","nextSeconds":2147483647}""",
        ];
        await using var service = await HostileService.Start();
        var good = service.Serve(HostileService.Document(Put));
        var hails = new SemaphoreSlim(0);
        service.Instead = async context =>
        {
            if (context.Request.Path != "/device/v1/hail")
            {
                return false;
            }

            // However long it was told to wait, a hail brings it back.
            await context.Response.WriteAsync(": listening\n\n");
            await context.Response.Body.FlushAsync();
            while (true)
            {
                await hails.WaitAsync(context.RequestAborted);
                await context.Response.WriteAsync("event: check-in\ndata: now\n\n");
                await context.Response.Body.FlushAsync();
            }
        };
        var next = "";
        service.Answers = _ => next;
        await using var agent = await service.Agent();
        foreach (var answer in answers)
        {
            var before = service.CheckIns.Count;
            next = answer;
            hails.Release();
            await service.Until(each => each.CheckIns.Count > before, $"it checks in for {answer}");
        }

        service.Answers = request => HostileService.Give(request, HostileService.Order(good, "D1"));
        hails.Release();
        await service.Until(each => each.Ended("D1") is not null, "it goes on");
        Assert.Equal("done", service.Ended("D1")!.Outcome);
    }

    [Fact]
    public async Task An_answer_without_end_costs_neither_memory_nor_disk()
    {
        await using var service = await HostileService.Start();
        var good = service.Serve(HostileService.Document(Put));
        var payload = new DocumentFile("a.bin", 10, new string('a', 64), false);
        var endless = service.Serve(HostileService.Document("true", "circdesk", "1.0.0", variant => variant with { Files = [payload] }), "circdesk", "1.0.0");
        var checkIns = 0;
        service.Instead = async context =>
        {
            var isFile = context.Request.Path.Value!.EndsWith(new string('a', 64), StringComparison.Ordinal);
            if (!isFile && (context.Request.Path != "/device/v1/check-in" || Interlocked.Increment(ref checkIns) != 2))
            {
                return false;
            }

            var block = Encoding.ASCII.GetBytes(new string('[', 1 << 20));
            try
            {
                // Far more than it may be; whoever reads it all does not end the call before.
                for (var i = 0; i < 700; i++)
                {
                    await context.Response.Body.WriteAsync(block, context.RequestAborted);
                }
            }
            catch (Exception error) when (error is OperationCanceledException or IOException)
            {
                // The agent has had enough.
            }

            return true;
        };
        service.Answers = request => HostileService.Give(request, HostileService.Order(endless, "D1"), HostileService.Order(good, "D2"));
        await using var agent = await service.Agent();
        await service.Until(each => each.Ended("D1") is not null && each.Ended("D2") is not null, "both have ended");

        Assert.Equal(("not-fetched", "done"), (service.Ended("D1")!.Outcome, service.Ended("D2")!.Outcome));
        Assert.Contains("larger than the 10 bytes", service.Ended("D1")!.Message);
        Assert.True(agent.MemoryPeak() < 300L << 20, $"The agent took {agent.MemoryPeak() >> 20} MB.");
        Assert.True(Directory.EnumerateFiles(Path.Combine(agent.Root, "var/lib/bandejo-agent/content")).Sum(file => new FileInfo(file).Length) < 1 << 20);
    }

    private static readonly (string What, string Document)[] WrongDocuments =
    [
        ("a pattern that is none", Changed(variant => variant with { Present = [variant.Present[0] with { Pattern = "(((" }] })),
        ("a pattern that grows", Changed(variant => variant with { Present = [variant.Present[0] with { Pattern = "(a{1,1000}){1,1000}" }] })),
        ("a check that nobody knows", Changed(variant => variant with { Present = [variant.Present[0] with { Kind = "telepathy" }] })),
        ("no check", Changed(variant => variant with { Present = [] })),
        ("a place above the machine", Changed(variant => variant with { Present = [variant.Present[0] with { Subject = "../../etc/shadow" }] })),
        ("what is reset is nearly everything", Changed(variant => variant with { Handling = new DocumentHandling(false, false, null, "as-told", ["var"]) })),
        ("a step without words", Changed(variant => variant with { Install = variant.Install with { Run = [] } })),
        ("an exit code that is none", Changed(
            variant => variant with { Install = variant.Install with { ExitCodes = new Dictionary<string, string> { ["x"] = "done" } } })),
        ("null for a step", Text().Replace("\"install\":{", "\"install\":null,\"was\":{")),
        ("null in a list", Text().Replace("\"files\":[]", "\"files\":[null]")),
        ("a rule that is none", Changed(variant => variant with { Requires = "memory >= (((" })),
        ("another format", Text().Replace("\"format\":1", "\"format\":99")),
        ("replaces a path", Text().Replace("\"replaces\":[]", "\"replaces\":[\"../../x\"]")),
        ("too deep", Text().Replace("\"files\":[]", $"\"files\":[],\"deep\":{new string('[', 5000)}{new string(']', 5000)}")),
        ("no JSON", "<xml/>"),
    ];

    [Fact]
    public async Task A_package_that_cannot_be_carried_out_fails_and_says_which_part_and_the_device_goes_on()
    {
        await using var service = await HostileService.Start();
        var wrong = WrongDocuments.Select(each => service.Serve(Encoding.UTF8.GetBytes(each.Document))).ToList();
        var good = service.Serve(HostileService.Document(Put.Replace("foldline", "circdesk"), "circdesk"), "circdesk");
        service.Answers = request =>
            HostileService.Give(request, [.. wrong.Select((package, i) => HostileService.Order(package, $"W{i}")), HostileService.Order(good, "D1")]);
        await using var agent = await service.Agent();
        await service.Until(each => each.Ended("D1") is not null, "the good one has ended, and all before it");

        for (var i = 0; i < wrong.Count; i++)
        {
            var end = service.Ended($"W{i}");
            Assert.True(end is { Outcome: "failed" }, $"{WrongDocuments[i].What}: {end?.Outcome}");
            Assert.Matches("(cannot be (carried out|read)|of format 99)", end!.Message);
        }

        Assert.Equal("done", service.Ended("D1")!.Outcome);
        Assert.False(agent.HasEnded);
    }

    private static string Text() => Encoding.UTF8.GetString(HostileService.Document("true"));

    private static string Changed(Func<DocumentVariant, DocumentVariant> change) => Encoding.UTF8.GetString(HostileService.Document("true", change: change));
}
