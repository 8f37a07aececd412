using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>From an installer file to a package that was tried: real files, a real sandbox, and packages that go wrong in it.</summary>
public sealed class PackagingTests(OneSite one) : IClassFixture<OneSite>
{
    [Fact]
    public async Task A_package_of_the_system_is_inspected_drafted_tried_and_released()
    {
        await using var site = await Site.Start();
        var folder = Directory.CreateTempSubdirectory("bandejo-packaging").FullName;
        var file = await Download("hello", folder);

        var inspected = JsonSerializer.Deserialize(
            await site.Must("package", "inspect", file, "--output", "json"), ContractJson.Default.IReadOnlyListInspectionInfo)![0];
        Assert.Contains(new ToldInfo("name", "hello", "certain", "control file"), inspected.Told);
        Assert.Contains(inspected.Contents!.First, each => each.Path == "usr/bin/hello");

        var drafts = Path.Combine(folder, "drafts");
        await site.Must("package", "inspect", file, "--draft", drafts);
        var draft = Directory.GetDirectories(drafts)[0];
        var manifest = Path.Combine(draft, "package.yaml");
        await File.WriteAllTextAsync(manifest, (await File.ReadAllTextAsync(manifest)).Replace(
            "    present:", "    launch: { run: [/usr/bin/hello] }\n    present:", StringComparison.Ordinal));
        await site.Must("package", "build", draft);

        // The next version is drafted from this one; here it is the same file again, which is said.
        var next = await site.Must("package", "inspect", file, "--after", draft, "--draft", Path.Combine(folder, "next"));
        Assert.Contains("It is the same version", next);
        Assert.Contains("launch: { run: [/usr/bin/hello] }", await File.ReadAllTextAsync(Path.Combine(
            folder, "next", Path.GetFileName(draft), "package.yaml")));
        Assert.Contains("is there already; nothing was changed", (await site.Run("package", "inspect", file, "--after", draft, "--draft", drafts)).Errors);

        // It touches nothing outside: the software is not there before, and not afterwards.
        var (code, output, errors) = await site.Run("package", "trial", draft);
        Assert.True(code == 0, output + errors);
        Assert.Contains("The trial passed", output);
        Assert.Contains("Nothing is left behind", output);
        Assert.Contains("which is tried", output);
        Assert.False(File.Exists("/usr/bin/hello"), "The trial reached the machine itself.");

        // A packager may release what was tried; what was not, only an administrator.
        await site.Admin.Post(
            "/api/v1/accounts", new AccountRequest("ines", "Ines", "long-enough-1", ["packager"]), ContractJson.Default.AccountRequest,
            ContractJson.Default.AccountInfo);
        using var packager = await ApiClient.SignIn(site.Service.Address, "ines", "long-enough-1");
        var digest = (await site.Admin.Get("/api/v1/packages?limit=10", ContractJson.Default.PagePackageInfo)).Items[0].Digest;
        var released = await packager.Post(
            $"/api/v1/packages/{digest}/release", new ReasonRequest(""), ContractJson.Default.ReasonRequest, ContractJson.Default.PackageInfo);
        Assert.Equal("released", released.State);
        Directory.Delete(folder, recursive: true);
    }

    [Fact]
    public async Task A_program_of_a_registry_tells_its_version_and_who_signed_it()
    {
        await using var site = Site.Alone();
        var registry = Environment.GetEnvironmentVariable("NUGET_PACKAGES")
            ?? Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.UserProfile), ".nuget/packages");
        var program = Directory.GetFiles(Path.Combine(registry, "microsoft.playwright"), "node.exe", SearchOption.AllDirectories)[0];

        var found = JsonSerializer.Deserialize(
            await site.Must("package", "inspect", program, "--output", "json"), ContractJson.Default.IReadOnlyListInspectionInfo)![0];

        Assert.Contains(found.Told, told => told is { What: "architecture", Value: "x64", Sure: "certain" });
        Assert.Contains(found.Told, told => told is { What: "version", Sure: "certain" } && told.Value.StartsWith("2", StringComparison.Ordinal));
        Assert.Contains(found.Told, told => told is { What: "signer", Value: "OpenJS Foundation" });
        Assert.True(found.HasIcon && found.Size > 10_000_000);
    }

    [Theory]
    [InlineData("echo 'Accept? [y/N]'; mkfifo /tmp/answer; read answer < /tmp/answer", "", "install", "failed", "waits for input")]
    [InlineData("exit 12", "", "install", "failed", "code 12 (failed)")]
    [InlineData("exit 0", "", "install", "failed", "is not there")]
    [InlineData("mkdir -p $T /etc/quill; echo 1.0 > $T/VERSION; echo x > /etc/quill/left", "", "leftovers", "warned", "1 file is left behind")]
    [InlineData(
        "mkdir -p $T; echo 1.0 > $T/VERSION; echo 'quill:x:990:990::/:/usr/sbin/nologin' >> /etc/passwd; echo 'quill:!:1::::::' >> /etc/shadow", "",
        "leftovers", "warned", "1 user is left behind")]
    [InlineData(
        "mkdir -p $T; echo 1.0 > $T/VERSION; touch /etc/hostname; cp -p /etc/shells /etc/s; mv /etc/s /etc/shells; chmod 640 /etc/login.defs", "", "leftovers",
        "warned", "1 file of the machine is not as before; take back")]
    [InlineData(
        "mkdir -p $T; echo 1.0 > $T/VERSION; rm /etc/issue; mkdir /var/lib/quill", "", "leftovers", "warned",
        "1 folder is left behind; take it away in the remove step, or say in a noise file that it may stay. 1 file of the machine is gone")]
    [InlineData(
        "mkdir -p $T; echo 1.0 > $T/VERSION; touch /etc/hostname; cp -p /etc/shells /etc/s; mv /etc/s /etc/shells", "", "leftovers", "passed",
        "Nothing is left behind.")]
    [InlineData(
        "mkdir -p $T; echo 1.0 > $T/VERSION; setsid sleep 300 > /dev/null 2>&1 &", "", "still running", "warned",
        "2 programs of it still run although it was removed")]
    [InlineData(
        "mkdir -p $T; [ -e $T/whole ] || echo 1.0 > $T/VERSION", "repair: { run: [sh, install.sh] }", "break", "passed", "opt/quill/VERSION was taken away")]
    [InlineData(
        "mkdir -p $T; [ -e $T/whole ] || echo 1.0 > $T/VERSION; touch $T/whole", "repair: { run: [sh, install.sh] }", "repair", "failed", "is not there")]
    [InlineData(
        "mkdir -p $T; echo 1.0 > $T/VERSION; printf '#!/bin/sh\necho libquill.so.3 is missing; exit 127\n' > $T/quill; chmod +x $T/quill",
        "launch: { run: [/opt/quill/quill] }", "launch", "failed", "libquill.so.3 is missing")]
    [InlineData(
        "mkdir -p $T; echo 1.0 > $T/VERSION; printf '#!/bin/sh\nsleep 100\n' > $T/quill; chmod +x $T/quill", "launch: { run: [/opt/quill/quill], stays: 1s }",
        "close", "warned", "Nothing is named under 'close'")]
    [InlineData(
        "mkdir -p $T; echo 1.0 > $T/VERSION; cp /usr/bin/sleep $T/quilld",
        "launch: { run: [bash, -c, \"exec -a 'Quill, idle' /opt/quill/quilld 300\"], stays: 1s }\n    close: [quilld]", "leftovers", "passed",
        "Nothing is left behind.")]
    [InlineData(
        "mkdir -p $T; echo 1.0 > $T/VERSION; ls -A /home /root; cat /proc/net/dev; [ $(ls -A /home /root | grep -vc :) = 1 ] && [ $(grep -c : /proc/net/dev) "
            + "= 1 ] && [ ! -t 0 ] && [ -z \"$DISPLAY\" ] && [ $(id -u) = 0 ]",
        "", "install", "passed", "code 0")]
    public async Task A_trial_says_what_goes_wrong_and_where(string install, string more, string step, string state, string says)
    {
        var site = one.Site;
        var folder = site.WriteFolder("quill", "1.0", install);
        var manifest = Path.Combine(folder, "package.yaml");
        await File.WriteAllTextAsync(manifest, (await File.ReadAllTextAsync(manifest)).TrimEnd() + (more.Length == 0 ? "" : $"\n    {more}") + "\n");

        var (code, output, errors) = await site.Run("package", "trial", folder, "--limit", "5", "--output", "json");

        Assert.True(output.StartsWith('{'), errors);
        var report = JsonSerializer.Deserialize(output, ContractJson.Default.TrialReport)!;
        var found = Assert.Single(report.Steps, each => each.Name == step);
        Assert.True(found.State == state && found.Says.Contains(says), $"{found.State}: {found.Says}\n{string.Join('\n', found.Log)}");
        Assert.Equal(state == "failed" ? 1 : 0, code);

        Assert.Equal(step is "still running" or "close", report.Steps.Any(each => each.Name == "still running"));

        // Nothing is tried of what did not come in; whatever else fails hides nothing of what is behind it.
        Assert.Equal(step != "install" || state != "failed", report.Steps.Any(each => each is { Name: "remove", State: "passed" }));
    }

    [Fact]
    public async Task A_trial_upgrades_from_the_earlier_version_and_falls_back_to_it()
    {
        await using var site = await Site.Start();
        const string Installs = "mkdir -p $T; echo $BANDEJO_VERSION > $T/VERSION";
        var (before, after) = (site.WriteFolder("quill", "1.0", Installs), site.WriteFolder("quill", "2.0", Installs));
        var (stubborn, other) = (site.WriteFolder("quill", "0.9", "[ ! -e $T/VERSION ] || exit 9; " + Installs), site.WriteFolder("marlin", "1.0", Installs));

        var report = JsonSerializer.Deserialize(
            await site.Must("package", "trial", after, "--from", before, "--with", other, "--output", "json"), ContractJson.Default.TrialReport)!;
        Assert.Equal(
            ["needs", "clean", "install", "in place", "launch", "again", "remove", "leftovers", "earlier", "upgrade", "fall back"],
            report.Steps.Select(step => step.Name));
        Assert.DoesNotContain(report.Steps, step => step.State == "failed");

        var (code, output, _) = await site.Run("package", "trial", after, "--from", stubborn, "--output", "json");
        Assert.Equal(
            ("fall back", "failed", 1),
            JsonSerializer.Deserialize(output, ContractJson.Default.TrialReport)!.Steps[^1] is var last ? (last.Name, last.State, code) : default);

        // Of a folder of package folders those are taken that it needs, and what they need before them.
        site.WriteFolder("ink", "1.0", Installs);
        site.WriteFolder("nib", "2.1", Installs, more: "needs: [{ app: ink }]");
        var needs = site.WriteFolder("pen", "1.0", Installs, more: "needs: [{ app: nib, at-least: \"2.0\" }]");
        report = JsonSerializer.Deserialize(
            await site.Must("package", "trial", needs, "--with", Path.GetDirectoryName(needs)!, "--output", "json"), ContractJson.Default.TrialReport)!;
        Assert.Equal(["ink 1.0", "nib 2.1"], report.Steps.Where(step => step.Name == "needs").Select(step => step.Says.Split("; ")[1].Split(" proven")[0]));
        Assert.Contains("is neither a package folder nor a folder of them", (await site.Run("package", "trial", needs, "--with", Path.GetTempPath())).Errors);

        Assert.Contains("cannot be an earlier version", (await site.Run("package", "trial", after, "--from", other)).Errors);
        Assert.Empty(Directory.GetDirectories(site.Temporary));
    }

    [Fact]
    public async Task A_service_is_left_to_a_device_where_no_service_manager_runs()
    {
        var folder = one.Site.WriteFolder("quill", "1.0", "mkdir -p $T && echo 1.0 > $T/VERSION");
        var manifest = Path.Combine(folder, "package.yaml");
        await File.WriteAllTextAsync(manifest, (await File.ReadAllTextAsync(manifest)).Replace("present: [", "present: [{ service: quill.service }, "));
        var output = await one.Site.Must("package", "trial", folder, "--output", "json");
        var step = Assert.Single(JsonSerializer.Deserialize(output, ContractJson.Default.TrialReport)!.Steps, each => each.Name == "service");
        Assert.Equal(("left-out", true), (step.State, step.Says.Contains("quill.service starts and stays up was not tried; try it on a device")));
    }

    [Fact]
    public async Task A_trial_can_be_laid_upon_another_system_and_says_where_the_software_is_there_already()
    {
        var site = one.Site;
        var root = Directory.CreateTempSubdirectory("bandejo-system").FullName;
        try
        {
            foreach (
                var (
                    name,
                    target) in new[] { ("usr", "/usr"), ("var", "/var"), ("bin", "usr/bin"), ("sbin", "usr/sbin"), ("lib", "usr/lib"), ("lib64", "usr/lib64") })
            {
                Directory.CreateSymbolicLink(Path.Combine(root, name), target);
            }

            using (var copy = Programs.Start("cp", ["-a", "/etc", root]))
            {
                await copy.WaitForExitAsync(TestContext.Current.CancellationToken);
            }

            await File.WriteAllTextAsync(Path.Combine(root, "etc/release-of-it"), "another");
            var folder = site.WriteFolder("quill", "1.0", "[ \"$(cat /etc/release-of-it)\" = another ] && mkdir -p $T && echo 1.0 > $T/VERSION");
            Assert.Contains("The trial passed", await site.Must("package", "trial", folder, "--upon", root));
            Assert.Equal(1, (await site.Run("package", "trial", folder)).Code);

            Directory.CreateDirectory(Path.Combine(root, "etc/quill"));
            await File.WriteAllTextAsync(Path.Combine(root, "etc/quill/VERSION"), "1.0");
            var manifest = Path.Combine(folder, "package.yaml");
            await File.WriteAllTextAsync(manifest, (await File.ReadAllTextAsync(manifest)).Replace("opt/quill/VERSION", "etc/quill/VERSION"));
            var (code, output, _) = await site.Run("package", "trial", folder, "--upon", root);
            Assert.Equal(1, code);
            Assert.Contains($"The system in {root} is not clean for it", output.ReplaceLineEndings(" ").Replace("  ", " "));

            // A name that would end the words of the mount and begin others runs nothing.
            var odd = Directory.CreateSymbolicLink($"{root}'; touch ran; '", root).FullName;
            (code, _, var errors) = await site.Run("package", "trial", folder, "--upon", odd);
            Directory.Delete(odd);
            Assert.Equal(2, code);
            Assert.Contains("has a quote, comma, colon, backslash or line break", errors);

            (code, _, errors) = await site.Run("package", "trial", folder, "--upon", "../nowhere");
            Assert.Equal(2, code);
            Assert.Contains("There is no folder '../nowhere'", errors);
            Directory.Delete(Path.Combine(root, "etc"), recursive: true);
            Assert.Contains("has no folder 'etc', so it is not the root of a system", (await site.Run("package", "trial", folder, "--upon", root)).Errors);
        }
        finally
        {
            Directory.Delete(root, recursive: true);
        }
    }

    [Fact]
    public async Task A_result_that_is_none_is_refused_and_a_failed_one_changes_no_state()
    {
        await using var site = await Site.Start();
        await site.Package("quill", "1.0", "mkdir -p $T; echo 1.0 > $T/VERSION", isReleased: false);
        TrialStepInfo Step(string name, string state) => new("linux", name, state, "said", 1, 0, []);

        foreach (
            var wrong in new[]
            {
                new TrialReport("here", []), new TrialReport("here", [Step("install", "splendid")]),
                new TrialReport(new string('x', 300), [Step("install", "passed")]),
            })
        {
            Assert.Equal(
                422,
                (int)(
                    await site.Admin.Send(HttpMethod.Post, "/api/v1/packages/quill 1.0/trials", JsonSerializer.Serialize(
                        wrong, ContractJson.Default.TrialReport))).Status);
        }

        Task<PackageInfo> Keep(params TrialStepInfo[] steps) =>
            site.Admin.Post(
                "/api/v1/packages/quill 1.0/trials", new TrialReport("here", steps), ContractJson.Default.TrialReport, ContractJson.Default.PackageInfo);
        Assert.Equal("built", (await Keep(Step("install", "passed"), Step("remove", "failed"))).State);
        Assert.Equal("built", (await Keep(Step("clean", "left-out"))).State);
        Assert.Equal("tried", (await Keep(Step("install", "passed"), Step("leftovers", "warned"))).State);

        var history = (await site.Admin.Get("/api/v1/packages/quill 1.0", ContractJson.Default.PackageDetails)).History;
        Assert.Equal(["built", "trial", "trial", "tried"], history.Select(each => each.State));
        Assert.Equal("Trial on here: failed at 'remove': said", history[1].Reason);
    }

    [Fact]
    public async Task What_cannot_be_inspected_is_said_in_a_line()
    {
        await using var site = Site.Alone();
        var folder = Directory.CreateTempSubdirectory("bandejo-packaging").FullName;
        var broken = Path.Combine(folder, "broken.msi");
        await File.WriteAllBytesAsync(broken, [0xD0, 0xCF, 0x11, 0xE0, 0xA1, 0xB1, 0x1A, 0xE1, .. new byte[2000]]);
        var hints = Path.Combine(folder, "mine.yaml");
        await File.WriteAllTextAsync(hints, "- nam: x\n");

        Assert.Equal((2, true), Ends(await site.Run("package", "inspect", "nothing.msi"), "There is no file or folder nothing.msi."));
        Assert.Equal((1, true), Ends(await site.Run("package", "inspect", broken), "is damaged or not what it seems"));
        Assert.Equal((2, true), Ends(await site.Run("package", "inspect", broken, "--hints", hints), "mine.yaml:1:3: 'nam' is no key of a hint"));
        Assert.Equal((1, true), Ends(
            await site.Run("package", "inspect", broken, "--draft", Path.Combine(folder, "drafts")), "no draft, because it is damaged"));
        Assert.False(Directory.Exists(Path.Combine(folder, "drafts")));

        // What one person found out is told once, and known wherever the file of hints is named.
        var setup = Path.Combine(folder, "quill.run");
        await File.WriteAllBytesAsync(setup, [.. "#!/bin/sh\n# Packed with quillpack 3\nexit 0\n"u8, 0x1F, 0x8B, 8, 0, 0]);
        var mine = Path.Combine(folder, "new.yaml");
        Assert.Equal((2, true), Ends(await site.Run("package", "inspect", setup, "--silent-with", "--hush"), "--silent-with needs --hints FILE"));
        Assert.Equal((0, true), Ends(
            await site.Run("package", "inspect", setup, "--hints", mine, "--silent-with", "--hush --all", "--called", "our packer"),
            "that begin with '# Packed with quillpack 3' install with --hush --all"));
        Assert.Equal((0, true), Ends(await site.Run("package", "inspect", setup, "--hints", mine), "sh quill.run --hush --all"));
        Assert.Equal((2, true), Ends(await site.Run("package", "inspect", broken, "--hints", mine, "--silent-with", "/q"), "no script"));

        // A pipe would be read for ever.
        var pipe = Path.Combine(folder, "waits.msi");
        using (var made = Programs.Start("mkfifo", [pipe]))
        {
            await made.WaitForExitAsync(TestContext.Current.CancellationToken);
        }

        Assert.Equal((2, true), Ends(await site.Run("package", "inspect", pipe), "waits.msi is a pipe, a socket or a device, and no file"));
        Assert.Equal((1, true), Ends(await site.Run("package", "inspect", folder), "waits.msi is a pipe, a socket or a device; it is left out"));
        await File.WriteAllTextAsync(Path.Combine(folder, "package.yaml"), "app: quill\n");
        Assert.Equal((2, true), Ends(await site.Run("package", "check", folder), "waits.msi is a pipe, a socket or a device, which no package can carry"));
        Directory.Delete(folder, recursive: true);

        static (int, bool) Ends((int Code, string Output, string Errors) run, string says) =>
            (run.Code, (run.Output + run.Errors).Contains(says, StringComparison.Ordinal));
    }

    /// <summary>A package of the system's own archive, fetched by its ordinary client.</summary>
    private static async Task<string> Download(string package, string folder)
    {
        foreach (var command in new[] { $"apt-get download -q {package}", $"apt-get update -qq && apt-get download -q {package}" })
        {
            using var process = Programs.Start("sh", ["-c", $"cd '{folder}' && {command} >&2"]);
            var errors = process.StandardError.ReadToEndAsync();
            await process.WaitForExitAsync();
            await errors;
            if (Directory.GetFiles(folder, "*.deb") is [var file])
            {
                return file;
            }
        }

        throw new InvalidOperationException($"The system's archive did not give '{package}'.");
    }
}
