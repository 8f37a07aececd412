using System.Diagnostics;
using Bandejo.Contract.Device;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>
/// Users of the machine who are not root lay things in the way of an agent who is. Each needs the right to make files of another user, as root has it.
/// </summary>
public sealed class OtherUsersTests
{
    private const string Put = "mkdir -p \"$BANDEJO_ROOT/opt/foldline\" && echo 7.2.0 > \"$BANDEJO_ROOT/opt/foldline/VERSION\"";
    private const string Secret = "of somebody else";

    private static readonly bool IsRoot = Environment.UserName == "root";

    [Theory]
    [InlineData("a link", "leads over a link that another user")]
    [InlineData("a link in its way", "leads over a link that another user")]
    [InlineData("a pipe", "is no ordinary file")]
    [InlineData("another user's", "belongs to another user")]
    [InlineData("a second name", "has a second name")]
    public async Task The_log_of_an_installer_is_kept_only_where_the_installer_wrote_it(string what, string says)
    {
        Assert.SkipUnless(IsRoot, "Only root can make files of another user.");
        await using var service = await HostileService.Start();
        var package = service.Serve(HostileService.Document(
            Put, change: variant => variant with { Handling = new DocumentHandling(false, false, "tmp/setup/install.log", "as-told", null) }));
        service.Answers = request => HostileService.Give(request, HostileService.Order(package, "D1"));
        await using var agent = await service.Agent(prepare: each =>
        {
            each.Write("etc/secret/install.log", Secret);
            each.Write("tmp/x", "");
            switch (what)
            {
                case "a link":
                    Sh(each, "mkdir tmp/setup && ln -s ../../etc/secret/install.log tmp/setup/install.log && chown -h nobody tmp/setup tmp/setup/install.log");
                    break;
                case "a link in its way":
                    Sh(each, "ln -s ../etc/secret tmp/setup && chown -h nobody tmp/setup");
                    break;
                case "a pipe":
                    Sh(each, "mkdir tmp/setup && mkfifo tmp/setup/install.log");
                    break;
                case "a second name":
                    Sh(each, "mkdir tmp/setup && ln etc/secret/install.log tmp/setup/install.log");
                    break;
                default:
                    Sh(each, "mkdir tmp/setup && cp etc/secret/install.log tmp/setup/install.log && chown nobody tmp/setup/install.log");
                    break;
            }
        });
        await service.Until(each => each.Ended("D1") is { } end && each.Logs.ContainsKey(end.Id), "the log has come");

        Assert.Equal("done", service.Ended("D1")!.Outcome);
        var log = service.Logs[service.Ended("D1")!.Id];
        Assert.DoesNotContain(Secret, log);
        Assert.Contains(says, log);
    }

    [Fact]
    public async Task What_is_deleted_and_put_beside_software_never_leaves_its_place()
    {
        Assert.SkipUnless(IsRoot, "Only root can make files of another user.");
        await using var service = await HostileService.Start();
        var licence = service.Content("licence"u8.ToArray());
        PackageLink Make(string app, string reset, string? companion) =>
            service.Serve(HostileService.Document(Put.Replace("foldline", app), app, change: variant => variant with
        {
            Handling = new DocumentHandling(false, false, null, "as-told", [reset]),
            Files = companion is null ? [] : [new DocumentFile("licence.txt", 7, licence, false)],
            Companions = companion is null ? null : [new DocumentCompanion("file", "licence.txt", companion, null, null)],
        }), app);
        var linked = Make("linked", "var/lib/linked/data", null);
        var climbing = Make("climbing", "var/lib/climbing/data", null);
        var placed = Make("placed", "var/lib/placed/data", "home/user/app/licence.txt");
        var outside = Directory.CreateTempSubdirectory("bandejo-outside").FullName;
        try
        {
            Directory.CreateDirectory(Path.Combine(outside, "data"));
            File.WriteAllText(Path.Combine(outside, "data", "keep"), Secret);
            string[] installs = [HostileService.Order(linked, "D1"), HostileService.Order(climbing, "D2"), HostileService.Order(placed, "D3")];
            service.Answers = request => HostileService.Give(request, installs);
            await using var agent = await service.Agent(prepare: each =>
            {
                each.Write("etc/data/keep", Secret);
                each.Write("var/lib/x", "");
                each.Write("home/user/x", "");
                // One link of another user, and one of root that would lead out of the machine's folder.
                Sh(
                    each,
                    $"ln -s ../../etc var/lib/linked && chown -h nobody var/lib/linked && ln -s {outside} var/lib/climbing && ln -s ../../etc "
                        + $"home/user/app && chown -h nobody home/user/app");
            });
            await service.Until(each => each.Ended("D1") is not null && each.Ended("D2") is not null && each.Ended("D3") is not null, "all are installed");
            Assert.Equal("failed", service.Ended("D3")!.Outcome);
            Assert.Contains("another user", service.Ended("D3")!.Message);
            Assert.False(File.Exists(Path.Combine(agent.Root, "etc/licence.txt")));

            service.Answers = request =>
                HostileService.Give(request, HostileService.Order(linked, "D4", "remove"), HostileService.Order(climbing, "D5", "remove"));
            await service.Until(each => each.Ended("D4") is not null && each.Ended("D5") is not null, "both are taken away");
            Assert.Equal(Secret, agent.Read("etc/data/keep"));
            Assert.True(File.Exists(Path.Combine(outside, "data", "keep")));
        }
        finally
        {
            Directory.Delete(outside, recursive: true);
        }
    }

    [Fact]
    public async Task A_proof_is_not_taken_from_what_another_user_laid_there()
    {
        Assert.SkipUnless(IsRoot, "Only root can make files of another user.");
        await using var service = await HostileService.Start();
        PackageLink Make(string app, string kind, string subject, string? expected = null) =>
            service.Serve(
                HostileService.Document(
                    "true", app, change: variant => variant with { Present = [new DocumentCheck(kind, subject, [], null, expected, null)] }),
                app);
        string[] orders =
        [
            HostileService.Order(Make("linked", "version-in", "opt/linked/VERSION"), "D1"),
            HostileService.Order(Make("piped", "version-in", "opt/piped"), "D2"),
            HostileService.Order(Make("digest", "file", "opt/piped", new string('a', 64)), "D3"),
            HostileService.Order(Make("program", "command", "opt/program"), "D4"),
            HostileService.Order(Make("current", "version-in", "opt/current/VERSION"), "D5"),
        ];
        service.Answers = request => HostileService.Give(request, orders);
        await using var agent = await service.Agent(prepare: each =>
        {
            each.Write("etc/VERSION", "7.2.0");
            each.Write("opt/7.2.0/VERSION", "7.2.0");
            each.Write("opt/program", "#!/bin/sh\ntouch \"$BANDEJO_ROOT/owned\"; echo 7.2.0\n");
            // A link of root's own is as good as a folder, also where it names the machine's own place.
            Sh(
                each,
                $"ln -s ../etc opt/linked && chown -h nobody opt/linked && mkfifo opt/piped && chmod 777 opt/program && ln -s {each.Root}/opt/7.2.0 "
                    + $"opt/current");
        });
        await service.Until(
            each =>
                orders.Select((_, i) => each.Ended($"D{i + 1}")).Count(end => end is not null) >= 4
                    && each.CheckIns.SelectMany(request => request.Proofs).Any(proof => proof.Deployment == "D5"),
            "all were looked for");

        Assert.All(new[] { ("D1", "another user"), ("D2", "no ordinary file"), ("D3", "no ordinary file"), ("D4", "another user") }, each =>
        {
            Assert.Equal("failed", service.Ended(each.Item1)!.Outcome);
            Assert.Contains(each.Item2, service.Ended(each.Item1)!.Message);
        });
        Assert.Contains(service.CheckIns.SelectMany(request => request.Proofs), proof => proof is { Deployment: "D5", Answer: "present" });
        Assert.False(File.Exists(Path.Combine(agent.Root, "owned")));
    }

    [Fact]
    public async Task The_agents_own_files_are_for_its_account_alone()
    {
        await using var service = await HostileService.Start();
        var payload = service.Content("payload"u8.ToArray());
        var package = service.Serve(
            HostileService.Document(
                "umask > \"$BANDEJO_ROOT/umask\"; touch \"$BANDEJO_ROOT/at-work\"; while [ ! -e \"$BANDEJO_ROOT/go\" ]; do [ -d \"$BANDEJO_ROOT\" ] || exit; "
                    + "sleep 0.05; done; "
                    + Put,
                change: variant => variant with
        {
            Files = [new DocumentFile("sub/a.txt", 7, payload, false)],
            Install = variant.Install with { Answers = new Dictionary<string, string> { ["b.ini"] = "x=1" } },
        }));
        service.Answers = request => HostileService.Give(request, HostileService.Order(package, "D1"));
        await using var agent = await service.Agent();
        await agent.Appears("at-work");
        await agent.Tell("report", "foldline", "prints blank pages");

        // While a step runs everything is there: key, identity, journal, content, payload, answers, log, and what the user said.
        var own = Path.Combine(agent.Root, "var/lib/bandejo-agent");
        var open = Directory.EnumerateFileSystemEntries(own, "*", SearchOption.AllDirectories).Append(own)
            .Where(path => (File.GetUnixFileMode(path) & (UnixFileMode)0x3F) != 0).ToList();
        Assert.True(Directory.EnumerateFileSystemEntries(own, "*", SearchOption.AllDirectories).Count() > 12);
        Assert.Empty(open);
        agent.Write("go", "");
        await service.Until(each => each.Ended("D1") is not null, "it is installed");
        Assert.Equal("0022", agent.Read("umask"));
    }

    private static void Sh(AgentProcess agent, string command)
    {
        using var process = Process.Start(new ProcessStartInfo("sh", ["-e", "-c", command]) { WorkingDirectory = agent.Root })!;
        process.WaitForExit();
        Assert.Equal(0, process.ExitCode);
    }
}
