using Bandejo.Contract;
using Bandejo.Contract.Api;

namespace Bandejo.Kit;

/// <summary>A service with an administrator signed in, agents beside it, and the command line.</summary>
public sealed class Site : IAsyncDisposable
{
    private readonly string _home = Directory.CreateTempSubdirectory("bandejo-home").FullName;
    private readonly List<AgentProcess> _agents = [];
    private readonly Dictionary<string, string> _environment;

    /// <summary>Where the command line puts what it needs for a moment; nobody else does.</summary>
    public string Temporary { get; }

    /// <summary>A listed group that holds every device, so that none is unsorted.</summary>
    public const string Enrolled = "enrolled";

    public RunningService Service { get; }

    /// <summary>The service's process, where it has one of its own (<see cref="StartApart"/>).</summary>
    public ServiceProcess Process => Service as ServiceProcess ?? throw new InvalidOperationException("This service has no process of its own: StartApart.");

    /// <summary>The API as the first administrator.</summary>
    public ApiClient Admin { get; private set; } = null!;

    /// <summary>Is told of each process of the command line when it has started; null for nobody.</summary>
    public Action<System.Diagnostics.Process>? Watch { get; set; }

    /// <param name="service">Is started by <see cref="Begin"/>, and ends with the site.</param>
    public Site(RunningService service)
    {
        Service = service;
        Temporary = Directory.CreateDirectory(Path.Combine(_home, "tmp")).FullName;
        _environment = new Dictionary<string, string>
        {
            ["XDG_CONFIG_HOME"] = _home, ["TMPDIR"] = Temporary, ["NO_COLOR"] = "1",
            ["PATH"] = $"{Path.GetDirectoryName(Programs.Agent)}:{Environment.GetEnvironmentVariable("PATH")}",
        };
    }

    /// <summary>A service that listens with TLS, as itself or as its options say.</summary>
    public static Task<Site> StartWithTls(params string[] options) => Begun(new ServiceProcess(options) { Listen = "https://127.0.0.1:0" });

    /// <summary>The command line alone, for what it does without any service.</summary>
    public static Site Alone() => new(new ServiceInside());

    public static Task<Site> Start(params string[] options) => Begun(new ServiceInside(options));

    /// <summary>A site whose service is a process of its own: for tests that kill it, look at its memory or change its surroundings.</summary>
    public static Task<Site> StartApart(params string[] options) => Begun(new ServiceProcess(options));

    /// <summary>Starts the service and signs the administrator in.</summary>
    public async Task Begin()
    {
        await Service.Start();
        await SignIn();
        await Admin.Post("/api/v1/groups", new GroupRequest(Enrolled, Enrolled, null), ContractJson.Default.GroupRequest, ContractJson.Default.GroupInfo);
    }

    /// <summary>Signs the administrator in, as at the beginning.</summary>
    public async Task SignIn()
    {
        Admin = await ApiClient.SignIn(Service.Address, "root-admin", ServiceProcess.FirstPassword);
        if (Service.Identity is { } identity)
        {
            await RunWith(ServiceProcess.FirstPassword, "sign-in", "root-admin", "--identity", identity);
        }
        else
        {
            // As a program does that was given a token; signing in is tested where it matters.
            _environment["BANDEJO_TOKEN"] = Admin.Http.DefaultRequestHeaders.Authorization!.Parameter!;
        }
    }

    /// <summary>Runs the command line as the administrator.</summary>
    public Task<(int Code, string Output, string Errors)> Run(params string[] arguments) => RunWith("", arguments);

    /// <summary>Runs the command line with something on its standard input.</summary>
    public async Task<(int Code, string Output, string Errors)> RunWith(string input, params string[] arguments)
    {
        using var process = Programs.Start(Programs.Cli, arguments, new Dictionary<string, string>(_environment) { ["BANDEJO_SERVICE"] = Service.Address });
        Watch?.Invoke(process);
        try
        {
            await process.StandardInput.WriteLineAsync(input);
            process.StandardInput.Close();
        }
        catch (IOException)
        {
            // It ended without reading what it was given; not every command reads.
        }

        var output = process.StandardOutput.ReadToEndAsync();
        var errors = process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        return (process.ExitCode, await output, await errors);
    }

    /// <summary>Starts the command line at a terminal, whose keys are the standard input of what is returned and whose screen is its output.</summary>
    /// <param name="environment">What else stands in its environment.</param>
    public System.Diagnostics.Process AtTerminal(Dictionary<string, string> environment, params string[] arguments)
    {
        var line = string.Join(' ', arguments.Prepend(Programs.Cli).Select(word => $"'{word.Replace("'", "'\\''", StringComparison.Ordinal)}'"));
        return Programs.Start(
            "script", ["-qec", line, "/dev/null"],
            new Dictionary<string, string>(_environment.Where(each => !environment.ContainsKey(each.Key)).Concat(environment))
            {
                ["BANDEJO_SERVICE"] = Service.Address, ["TERM"] = "xterm", ["SHELL"] = "/bin/sh",
            });
    }

    /// <summary>Runs a line of a shell in which <c>bandejo</c> is the command line.</summary>
    public async Task Shell(string line)
    {
        var path = $"{Path.GetDirectoryName(Programs.Cli)}:{Environment.GetEnvironmentVariable("PATH")}";
        using var process = Programs.Start(
            "sh", ["-c", line], new Dictionary<string, string>(_environment) { ["BANDEJO_SERVICE"] = Service.Address, ["PATH"] = path });
        await process.WaitForExitAsync();
    }

    /// <summary>Runs the command line and expects that it did what it should.</summary>
    public async Task<string> Must(params string[] arguments)
    {
        var (code, output, errors) = await Run(arguments);
        return code == 0 ? output : throw new InvalidOperationException($"bandejo {string.Join(' ', arguments)} ended with {code}: {errors}{output}");
    }

    /// <summary>An agent that has joined, into the group 'enrolled' where no other is named; started unless told otherwise.</summary>
    /// <param name="clock">The file of the clock that it goes by; null for the machine's.</param>
    public async Task<AgentProcess> Device(string name, string? group = null, string facts = "kind: desk", bool isStarted = true, string? clock = null)
    {
        var agent = new AgentProcess(Service.Address, name, clock);
        _agents.Add(agent);
        agent.Write("etc/bandejo/facts", facts + "\n");
        var code = await Admin.Post(
            "/api/v1/join-codes", new JoinCodeRequest(group ?? Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo);
        var (exit, output) = await agent.Join(code.Code!);
        if (exit != 0)
        {
            throw new InvalidOperationException(output);
        }

        if (isStarted)
        {
            await agent.Start();
        }

        return agent;
    }

    /// <summary>Builds and releases a package that a script installs; <c>$T</c> in it is the app's folder on the machine.</summary>
    public async Task Package(
        string app, string version, string install, string remove = "rm -rf \"$T\"", string limit = "1m", string more = "", bool isReleased = true,
        string requires = "yes", string codes = "{}", string close = "")
    {
        var folder = WriteFolder(app, version, install, remove, limit, more, requires, codes, close);
        await Must("package", "build", folder);
        if (isReleased)
        {
            await Admin.Post(
                $"/api/v1/packages/{app} {version}/release", new ReasonRequest("for the test"), ContractJson.Default.ReasonRequest,
                ContractJson.Default.PackageInfo);
        }
    }

    /// <summary>Writes a package folder and returns where.</summary>
    public string WriteFolder(
        string app, string version, string install, string remove = "rm -rf \"$T\"", string limit = "1m", string more = "", string requires = "yes",
        string codes = "{}", string close = "")
    {
        var folder = Directory.CreateDirectory(Path.Combine(_home, $"{app}-{version}-{Guid.NewGuid():N}")).FullName;
        var closes = close.Length == 0 ? "" : $"\n    close: [{close}]";
        File.WriteAllText(Path.Combine(folder, "install.sh"), $"T=\"$BANDEJO_ROOT/opt/{app}\"\n{install}\n");
        File.WriteAllText(Path.Combine(folder, "remove.sh"), $"T=\"$BANDEJO_ROOT/opt/{app}\"\n{remove}\n");
        File.WriteAllText(Path.Combine(folder, "package.yaml"), $$"""
            app: {{app}}
            name: {{app}}
            version: "{{version}}"
            {{more}}
            variants:
              - name: linux
                requires: {{requires}}
                files: [install.sh, remove.sh]{{closes}}
                install: { run: [sh, install.sh], limit: {{limit}}, exit-codes: {{codes}} }
                remove: { run: [sh, remove.sh] }
                present: [{ version-in: opt/{{app}}/VERSION }]
            """);
        return folder;
    }

    /// <summary>Starts a deployment to a group in one wave and returns its identity.</summary>
    public async Task<string> Deploy(string package, string group, params string[] more)
    {
        var name = $"{package} {Guid.NewGuid():N}"[..30];
        await Must(["deployment", "start", package, "--to", group, "--name", name, "--yes", .. more]);
        var all = await Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo);
        return all.First(each => each.Name == name).Id;
    }

    private static async Task<Site> Begun(RunningService service)
    {
        var site = new Site(service);
        await site.Begin();
        return site;
    }

    public async ValueTask DisposeAsync()
    {
        foreach (var agent in _agents)
        {
            await agent.DisposeAsync();
        }

        Admin?.Dispose();
        await Service.DisposeAsync();
        Directory.Delete(_home, recursive: true);
    }
}
