using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.Wine.Tests;

/// <summary>A service with a machine that runs Windows, under Wine, and has joined.</summary>
public sealed class WindowsSite : IAsyncLifetime
{
    /// <summary>Where the agent's program is on the machine.</summary>
    public const string Agent = @"C:\Program Files\Bandejo Agent\bandejo-agent.exe";

    public const string Name = "OLD-DESK-001";

    /// <summary>
    /// Wine 8.0 finds the signature of one good certificate in eighty wrong (5 of 400 that were made for it, which Linux and .NET find right): then another
    /// service is begun, with another certificate.
    /// </summary>
    private const int MostTries = 3;

    // The drive Z: of Wine is the whole of the system that it runs on.
    private static readonly string Maker = $"Z:{Path.Combine(Programs.Windows, "make-database.exe").Replace('/', '\\')}";

    public Site Site { get; private set; } = null!;

    public WineMachine Machine { get; private set; } = null!;

    private readonly CancellationTokenSource _ends = new();
    private Task _watch = Task.CompletedTask;

    public async ValueTask InitializeAsync()
    {
        if (WineMachine.WhyNot is not null)
        {
            return;
        }

        Machine = await WineMachine.Start();
        Directory.CreateSymbolicLink(Path.Combine(Machine.Drive, "Program Files/Bandejo Agent"), Programs.Windows);
        for (var tries = 1; ; tries++)
        {
            Site = await Site.StartWithTls("--check-in-seconds", "1");
            try
            {
                await Install();
                break;
            }
            catch (InvalidOperationException error) when (tries < MostTries && error.Message.Contains("that nobody known here stands for"))
            {
                await Site.DisposeAsync();
            }
        }

        _watch = Watch(_ends.Token);
    }

    public async ValueTask DisposeAsync()
    {
        if (Site is not null)
        {
            await _ends.CancelAsync();
            await _watch;
            await Machine.DisposeAsync();
            await Site.DisposeAsync();
        }
    }

    /// <summary>The machine joins, and the agent becomes a service of it.</summary>
    public async Task<string> Install()
    {
        var code = (await Site.Admin.Post(
            "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        return await Machine.Must(Agent, "install", "--service", Site.Service.Address, "--code", code, "--name", Name);
    }

    /// <summary>Writes an installable database of Quay Notes, drafts, builds and releases a package of it, all as a person would.</summary>
    public async Task Package(string version, string code)
    {
        var folder = Directory.CreateDirectory(Path.Combine(Site.Temporary, $"notes-{version}")).FullName;
        var file = Path.Combine(folder, "notes.msi");
        await Machine.Must(Maker, $"Z:{file.Replace('/', '\\')}", version, code);
        await Site.Must("package", "inspect", file, "--draft", folder);
        await Site.Must("package", "build", Path.Combine(folder, $"quay-notes-{version}"));
        await Site.Must("package", "release", $"quay-notes {version}", "--reason", "for the test");
    }

    /// <summary>A package that a setup program installs (tests/Windows/SetupProgram.cs).</summary>
    /// <param name="words">What the setup program is told.</param>
    /// <param name="present">Its proofs; null for the version in the file that <c>/put</c> writes.</param>
    public async Task Setup(string app, string words, string limit = "1m", string more = "", string? present = null)
    {
        var folder = Directory.CreateDirectory(Path.Combine(Site.Temporary, app)).FullName;
        await File.WriteAllTextAsync(Path.Combine(folder, "licence.txt"), "Free for all.\n");
        await File.WriteAllTextAsync(Path.Combine(folder, "package.yaml"), $$"""
            app: {{app}}
            name: {{app}}
            version: "1.0"
            variants:
              - name: windows
                fits: os.family is "windows"
                files: [licence.txt]
                install: { run: ['{{Maker}}', setup, {{words}}], limit: {{limit}}{{more}} }
                present: [{{present ?? $"{{ version-in: {app}/VERSION }}"}}]
            """);
        await Site.Must("package", "build", folder);
        await Site.Must("package", "release", $"{app} 1.0", "--reason", "for the test");
    }

    /// <summary>A file of the machine; null where it is not there.</summary>
    public string? Read(string path) => File.Exists(Path.Combine(Machine.Drive, path)) ? File.ReadAllText(Path.Combine(Machine.Drive, path)).Trim() : null;

    public async Task Appears(string path) => await ApiClient.Comes(() => Task.FromResult(File.Exists(Path.Combine(Machine.Drive, path))), $"{path} is there");

    // Starts a service that was ended by force again, as Windows does where it was told so at its registration; the service manager of Wine does not.
    // (Under Wine 8.0 it ends by itself too, with an error of the runtime of .NET, 0x80131506, a minute or so after a step.)
    private async Task Watch(CancellationToken ends)
    {
        using var pace = new PeriodicTimer(TimeSpan.FromSeconds(2));
        try
        {
            while (await pace.WaitForNextTickAsync(ends))
            {
                if (Machine.IsUp && Machine.Processes("bandejo-agent.exe service").Count == 0)
                {
                    await Machine.Run("sc", "start", "bandejo-agent");
                }
            }
        }
        catch (OperationCanceledException)
        {
            // The tests are over.
        }
    }

    /// <summary>How the only try of a deployment ended, once it has.</summary>
    public async Task<AttemptInfo> Ended(string deployment)
    {
        await Site.Admin.Until(
            async () => (await Site.Admin.Attempts(deployment, Name)) is [.., { Outcome: not null }], $"the try for {deployment} has ended");
        return (await Site.Admin.Attempts(deployment, Name))[^1];
    }
}

/// <summary>The agent on a machine with Windows: as its service, with its installer, its registry and its jobs; under Wine.</summary>
public sealed class WindowsTests(WindowsSite windows) : IClassFixture<WindowsSite>
{
    private const string First = "{A1B2C3D4-0001-4000-8000-000000000001}";
    private const string Second = "{A1B2C3D4-0002-4000-8000-000000000002}";

    private Site Site => windows.Site;

    [Fact]
    public async Task A_database_is_installed_changed_for_a_newer_one_taken_back_and_removed_each_proven_by_its_product_code()
    {
        await Need();
        await windows.Package("1.0.0", First);
        await windows.Package("2.0.0", Second);
        var first = await Site.Deploy("quay-notes 1.0.0", Site.Enrolled, "--setting", "notes-mode=front desk");
        await Site.Admin.Becomes(first, WindowsSite.Name, "met");
        Assert.Equal("Quay Notes 1.0.0", windows.Read("Program Files/Quay Notes/quay-notes.txt"));
        Assert.Contains($"proven by product {First}", (await windows.Ended(first)).Message);
        Assert.Contains("front desk", await windows.Machine.Must("reg", "query", @"HKLM\SOFTWARE\Bellwether\Quay Notes", "/v", "Mode"));
        Assert.Contains("Quay Notes", await Site.Must("device", "show", WindowsSite.Name));

        var second = await Site.Deploy("quay-notes 2.0.0", Site.Enrolled);
        await Site.Admin.Becomes(second, WindowsSite.Name, "met");
        Assert.Equal("Quay Notes 2.0.0", windows.Read("Program Files/Quay Notes/quay-notes.txt"));

        // What it has put there goes, what was there before comes back.
        await Site.Must("deployment", "roll-back", second, "--reason", "prints blank pages", "--yes");
        await Site.Admin.Becomes(second, WindowsSite.Name, "undone");
        Assert.Equal("Quay Notes 1.0.0", windows.Read("Program Files/Quay Notes/quay-notes.txt"));

        await Site.Must("deployment", "end", first, "--yes", "--reason", "it goes");
        var gone = await Site.Deploy("quay-notes 1.0.0", Site.Enrolled, "--gone");
        await Site.Admin.Becomes(gone, WindowsSite.Name, "met");
        Assert.False(Directory.Exists(Path.Combine(windows.Machine.Drive, "Program Files/Quay Notes")));
        Assert.DoesNotContain("Quay Notes", (await windows.Machine.Run("reg", "query", @"HKLM\SOFTWARE\Microsoft\Windows\CurrentVersion\Uninstall", "/s")).Output);
    }

    [Fact]
    public async Task A_step_outlives_an_agent_that_is_killed_and_is_run_once()
    {
        await Need();
        await windows.Setup("plateglass", @"/note, 'C:\ran.txt', /until, 'C:\go.txt', /put, 'C:\plateglass', '1.0'");
        var deployment = await Site.Deploy("plateglass", Site.Enrolled);
        await windows.Appears("ran.txt");
        windows.Machine.Kill("bandejo-agent.exe service");
        await File.WriteAllTextAsync(Path.Combine(windows.Machine.Drive, "go.txt"), "");
        await windows.Appears("plateglass/VERSION");
        await Site.Admin.Becomes(deployment, WindowsSite.Name, "met");
        Assert.Equal("run", windows.Read("ran.txt"));
        Assert.Equal("done", (await windows.Ended(deployment)).Outcome);
    }

    [Fact]
    public async Task A_step_that_hangs_is_ended_with_all_that_it_started()
    {
        await Need();
        await windows.Setup("hanging", "/child, /hang", limit: "5s", more: ", at-limit: end");
        var deployment = await Site.Deploy("hanging", Site.Enrolled, "--tries", "1");
        await Site.Admin.Becomes(deployment, WindowsSite.Name, "failed");
        Assert.Empty(windows.Machine.Processes("make-database.exe"));
        Assert.Contains("It goes on by itself.", await Site.Must("deployment", "log", (await windows.Ended(deployment)).Id));
    }

    [Fact]
    public async Task What_the_codes_of_an_installer_mean_is_what_becomes_of_it()
    {
        await Need();
        await windows.Setup("restarting", @"/put, 'C:\restarting', '1.0', /code, '3010'", more: ", exit-codes: { 3010: restart-needed }");
        var deployment = await Site.Deploy("restarting", Site.Enrolled);
        await Site.Admin.Becomes(deployment, WindowsSite.Name, "restart");
        await windows.Machine.Restart();
        await Site.Admin.Becomes(deployment, WindowsSite.Name, "met");
        await windows.Setup("refusing", "/code, '1603'");
        deployment = await Site.Deploy("refusing", Site.Enrolled, "--tries", "1");
        await Site.Admin.Becomes(deployment, WindowsSite.Name, "failed");
        Assert.Contains("code 1603 (an error while installing; the installer's own log says which)", (await windows.Ended(deployment)).Message);
    }

    [Fact]
    public async Task What_is_there_is_proven_by_the_registry_by_the_programs_own_version_and_by_a_service_that_runs()
    {
        await Need();
        await windows.Setup(
            "proven", @"/keep, 'SOFTWARE\Bellwether\Proven', 'Version', '1.0', /copy, 'C:\proven\proven.exe'", present:
            @"{ registry: 'HKLM\SOFTWARE\Bellwether\Proven', key: Version }, { registry: 'HKLM\SOFTWARE\Bellwether\Proven' },"
            + "{ version-of: proven/proven.exe }, { service: bandejo-agent }");
        var deployment = await Site.Deploy("proven", Site.Enrolled, "--tries", "1");
        await Site.Admin.Becomes(deployment, WindowsSite.Name, "met");
        Assert.Contains(@"proven by registry value Version in HKLM\SOFTWARE\Bellwether\Proven", (await windows.Ended(deployment)).Message);

        // Each of them alone is missing where nothing put it there.
        foreach (var (app, present, says) in new[]
        {
            (
                "unproven", @"{ registry: 'HKLM\SOFTWARE\Bellwether\Proven', key: Mode, is: front desk }",
                @"registry value Mode in HKLM\SOFTWARE\Bellwether\Proven is not there"),
            ("unfound", "{ version-of: proven/other.exe }", "version of proven/other.exe is not there"),
            ("unversioned", @"{ version-of: windows/win.ini }", "Version of windows/win.ini is there, but holds no version"),
            (
                "unserved", @"{ registry: 'HKLM\SOFTWARE\Bellwether\Proven', key: Version }, { service: of-nobody }",
                "service of-nobody does not run"),
        })
        {
            await windows.Setup(app, "/code, '0'", present: present);
            deployment = await Site.Deploy(app, Site.Enrolled, "--tries", "1");
            Assert.Contains(says, (await windows.Ended(deployment)).Message);
        }
    }

    [Fact]
    public async Task The_service_stops_starts_again_and_goes_without_leaving_anything()
    {
        Assert.SkipWhen(WineMachine.WhyNot is not null, WineMachine.WhyNot ?? "");
        await using var machine = await WineMachine.Start();
        Directory.CreateSymbolicLink(Path.Combine(machine.Drive, "Program Files/Bandejo Agent"), Programs.Windows);
        var code = (await Site.Admin.Post(
            "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo)).Code!;
        var said = await machine.Must(WindowsSite.Agent, "install", "--service", Site.Service.Address, "--code", code, "--name", "OLD-DESK-002");
        Assert.Contains("Joined as OLD-DESK-002", said);
        Assert.Contains("The agent runs as the service bandejo-agent.", said);
        await machine.Must("sc", "stop", "bandejo-agent");
        await ApiClient.Comes(() => Task.FromResult(machine.Processes("bandejo-agent.exe service").Count == 0), "the service has stopped");
        await machine.Must("sc", "start", "bandejo-agent");
        await ApiClient.Comes(() => Task.FromResult(machine.Processes("bandejo-agent.exe service").Count > 0), "the service is there again");
        Assert.Contains("The agent is off this machine.", await machine.Must(WindowsSite.Agent, "remove"));
        Assert.Empty(machine.Processes("bandejo-agent.exe"));
        Assert.False(Directory.Exists(Path.Combine(machine.Drive, "ProgramData/bandejo-agent")));
        Assert.NotEqual(0, (await machine.Run("sc", "query", "bandejo-agent")).Code);
    }

    // Each begins on a machine that has just started.
    private async Task Need()
    {
        Assert.SkipWhen(WineMachine.WhyNot is not null, WineMachine.WhyNot ?? "");
        await windows.Machine.Restart();
    }
}
