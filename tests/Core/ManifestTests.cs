using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using Bandejo.Core.Packages;
using Bandejo.Core.Tests.Installers;
using Bandejo.Core.Versions;
using CsCheck;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class ManifestTests
{
    public static TheoryData<string> BadManifests =>
        [.. Directory.GetFiles(Path.Combine(AppContext.BaseDirectory, "Cases/manifests"), "*.yaml").Select(file => Path.GetFileName(file)).Order()];

    [Fact]
    public void A_manifest_is_read_in_full()
    {
        var manifest = ManifestReader.Read(Samples.Manifest).Value;
        Assert.Equal(("foldline", "7.2.0"), (manifest.App, manifest.Version.Text));
        Assert.Equal(["old-foldline"], manifest.Replaces);
        var variant = Assert.Single(manifest.Variants);
        Assert.Equal((TimeSpan.FromMinutes(10), true), (variant.Install.Limit, variant.Install.EndAtLimit));
        Assert.Equal((ExitMeaning.Busy, ExitMeaning.RestartNeeded), (variant.Install.Codes[75], variant.Install.Codes[9]));
        Assert.False(variant.Remove!.EndAtLimit);
        Assert.False(variant.PutBack);
        Assert.Equal("opt/foldline/VERSION", variant.Present[0].Subject);
        Assert.Equal(("updates", "off"), (variant.Present[1].Key, variant.Present[1].Expected));
    }

    [Theory]
    [MemberData(nameof(BadManifests))]
    public void Every_bad_manifest_says_what_and_where(string file)
    {
        // The first lines of each file, "# LINE: words", say what must be found.
        var text = File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "Cases/manifests", file));
        var expected = text.Split('\n').TakeWhile(line => line.StartsWith("# ", StringComparison.Ordinal)).Select(line => line[2..].Split(": ", 2)).ToList();
        var findings = ManifestReader.Read(text).Failure?.Findings;
        Assert.NotNull(findings);
        Assert.NotEmpty(expected);
        foreach (var words in expected)
        {
            Assert.True(
                findings.Any(finding => finding.Line == int.Parse(words[0]) && finding.Message.Contains(words[1])),
                $"{file} lacks '{words[0]}: {words[1]}' in:\n{string.Join("\n", findings.Select(finding => $"{finding.Line}: {finding.Message}"))}");
        }

        Assert.True(expected.Count == findings.Count, $"{file}:\n{string.Join("\n", findings.Select(finding => $"{finding.Line}: {finding.Message}"))}");
    }

    [Fact]
    public void No_damage_to_a_manifest_makes_the_reader_fail_otherwise()
    {
        Gen.Select(Gen.Int[0, Samples.Manifest.Length - 1], Gen.Int[0, 12], Gen.OneOf(
            "", "{", "[", ":", "- ", "&a ", "*a", "\t", "\"", "|\n", "!!x ", "\0", "é", "%"))
            .Sample((at, cut, put) =>
        {
            var text = Samples.Manifest[..at] + put + Samples.Manifest[Math.Min(Samples.Manifest.Length, at + cut)..];
            var outcome = ManifestReader.Read(text);
            Assert.True(outcome.Ok || outcome.Failure!.Findings.Count > 0);
        }, iter: 5_000);
    }

    [Fact]
    public void The_check_finds_missing_unused_and_far_away_files()
    {
        var manifest = ManifestReader.Read(Samples.Manifest.Replace("--quiet", "/home/ines/setup.cfg")).Value;
        var findings = ManifestCheck.Check(manifest, [new PayloadFile("instal.sh", 1, ""), new PayloadFile("payload/a", 1, ""), new PayloadFile(
            "../evil", 1, "")]);
        Assert.Contains(findings, finding => !finding.IsWarning && finding.Message.Contains("no file 'install.sh'") && finding.Message.Contains(
            "Did you mean 'instal.sh'"));
        Assert.Contains(findings, finding => finding.IsWarning && finding.Message.Contains("'instal.sh' lies in the folder"));
        Assert.Contains(findings, finding => finding.IsWarning && finding.Message.Contains("/home/ines"));
        Assert.Contains(findings, finding => !finding.IsWarning && finding.Message.Contains("climbs out"));
    }

    [Fact]
    public void A_service_that_runs_is_a_proof_beside_one_that_tells_the_version()
    {
        var service = new PresenceCheck(PresenceKind.Service, "foldline", [], null, null, null);
        var version = new PresenceCheck(PresenceKind.FileVersion, "opt/foldline/VERSION", [], null, null, null);
        PresenceResult Judge(bool runs) =>
            Presence.Judge("Foldline", AppVersion.Parse("7.2.0"), [(version, new Observation(true, null, "7.2.0", null)), (
                service, runs ? new Observation(true, null, null, null) : Observation.NotThere)]);
        Assert.Equal(PresenceAnswer.Present, Judge(runs: true).Answer);
        Assert.Equal((PresenceAnswer.Absent, "Service foldline does not run"), (Judge(runs: false).Answer, Judge(runs: false).Why));

        var text = Samples.Manifest[..Samples.Manifest.IndexOf("    present:", StringComparison.Ordinal)];
        var alone = ManifestReader.Read(text + "    present: [{ service: foldline.service }]\n").Value;
        Assert.Contains(ManifestCheck.Check(alone, []), finding => !finding.IsWarning && finding.Message.Contains(
            "does not say of which software and version"));
        Assert.Contains("is no name of a service", ManifestReader.Read(text + "    present: [{ service: 'a b' }]\n").Failure!.Findings[0].Message);
    }

    [Theory]
    [InlineData("[sh, install.sh, --quiet]", "[tool, --quiet, '&&', echo, done]", "'&&' is handed to 'tool' as a word", true)]
    [InlineData("[sh, install.sh, --quiet]", "[tool, --to, '$HOME/x']", "'$HOME' is handed to 'tool' as it stands", true)]
    [InlineData("[sh, install.sh, --quiet]", "[tool.exe, /S, '%ProgramFiles%/x']", "'%ProgramFiles%' is handed to 'tool.exe' as it stands", true)]
    [InlineData("[sh, install.sh, --quiet]", "[sh, -c, 'a && b $HOME']", null, true)]
    [InlineData(
        "[sh, install.sh, --quiet]", "[sh, ./more.sh]", "'more.sh' is named in the command and lies in the folder, but the variant does not take it along",
        false)]
    [InlineData(
        "architecture is \"x64\"", "architecture is \"amd64\"", "No device has the architecture 'amd64': they are x64, x86 and arm64. Did you mean x64?",
        false)]
    [InlineData(
        "memory >= 2 GiB", "memory >= 2 GiB and architecture in (\"x64\", \"sparc\")", "No device has the architecture 'sparc': they are x64, x86 and arm64.",
        false)]
    public void The_check_finds_what_no_shell_reads_what_is_not_taken_along_and_what_no_device_is(string old, string now, string? says, bool isWarning)
    {
        var text = Samples.Manifest.Replace(old, now);
        var findings = ManifestCheck.Check(ManifestReader.Read(text).Value, [
            new PayloadFile("install.sh", 1, ""), new PayloadFile("payload/a", 1, ""), new PayloadFile("more.sh", 1, "")])
            .Where(finding => !finding.Message.Contains("left out") && !finding.Message.Contains("Nothing uses")).ToList();
        if (says is null)
        {
            Assert.Empty(findings);
            return;
        }

        var found = Assert.Single(findings);
        Assert.True(found.Message.Contains(says) && found.IsWarning == isWarning, found.Message);
    }

    [Theory]
    [InlineData(
        "architecture in (\"x86\", \"x64\")", "architecture is \"x64\"",
        "'second' is never chosen: each device that fits it fits 'linux', which is taken first")]
    [InlineData("memory >= 2 GiB", "memory >= 8 GiB and memory < 4 GiB", "No device can fit the variant 'second'")]
    [InlineData("architecture is \"x64\"", "architecture in (\"x86\", \"x64\")", null)]
    public void The_check_finds_a_variant_that_no_device_ever_gets(string first, string second, string? says)
    {
        var text = Samples.Manifest.Replace("fits: architecture is \"x64\"", $"fits: {first}");
        text += "\n"
            + text[text.IndexOf("  - name: linux", StringComparison.Ordinal)..].Replace("name: linux", "name: second")
                .Replace($"fits: {first}", $"fits: {second}");
        var findings = ManifestCheck.Check(ManifestReader.Read(text).Value, [new PayloadFile("install.sh", 1, ""), new PayloadFile("payload/a", 1, "")]);
        Assert.Equal(says is null ? 0 : 1, findings.Count(finding => finding.Message.Contains("'second'")));
        Assert.All(findings.Where(finding => finding.Message.Contains("'second'")), finding => Assert.True(
            !finding.IsWarning && finding.Message.Contains(says!), finding.Message));
    }

    [Theory]
    [InlineData(PresenceKind.Program, "2:9.0.1378-2", "2:9.0.1378-2")]
    [InlineData(PresenceKind.Product, "7.2.0.1134", "7.2.0.1134")]
    [InlineData(PresenceKind.Program, "Release 7.2 of May", "7.2")]
    [InlineData(PresenceKind.FileVersion, "at 10:20: version 7.2.0-rc1\n", "10")]
    [InlineData(PresenceKind.Command, "foldline v7.2.0 (build 9)", "v7.2.0")]
    [InlineData(PresenceKind.Command, "nothing", null)]
    public void The_version_of_what_a_system_lists_is_its_whole_text(PresenceKind kind, string text, string? version)
    {
        var check = new PresenceCheck(kind, "x", [], null, null, null);
        Assert.Equal(version, check.VersionIn(text));
        if (kind == PresenceKind.Program && text.Contains(':'))
        {
            Assert.Equal(
                PresenceAnswer.Present,
                Presence.Judge("x", AppVersion.Parse(text), [(check, new Observation(true, null, check.VersionIn(text), null))]).Answer);
        }
    }

    [Fact]
    public void The_published_schema_has_the_same_keys_as_the_reader()
    {
        var folder = new DirectoryInfo(AppContext.BaseDirectory);
        while (!File.Exists(Path.Combine(folder!.FullName, "Bandejo.slnx")))
        {
            folder = folder.Parent;
        }

        using var schema = JsonDocument.Parse(File.ReadAllText(Path.Combine(folder.FullName, "docs/reference/package.schema.json")));
        var defined = schema.RootElement.GetProperty("$defs");
        Assert.Equal(ManifestReader.TopKeys, Keys(schema.RootElement));
        Assert.Equal(ManifestReader.VariantKeys, Keys(defined.GetProperty("variant")));
        Assert.Equal(StepReader.Keys, Keys(defined.GetProperty("step")));
        Assert.Equal(SettingReader.Keys, Keys(defined.GetProperty("setting")));
        Assert.Equal(
            Setting.Types.Keys,
            defined.GetProperty("setting").GetProperty("properties").GetProperty("type").GetProperty("enum").EnumerateArray()
                .Select(word => word.GetString()!));
        Assert.Equal(StepReader.LaunchKeys, Keys(defined.GetProperty("launch")));
        Assert.Equal(PartsReader.NeedKeys, Keys(defined.GetProperty("need")));
        Assert.Equal(PartsReader.HandlingKeys, Keys(defined.GetProperty("handling")));
        Assert.Equal(PartsReader.BeforeKeys, Keys(defined.GetProperty("handling").GetProperty("properties").GetProperty("before")));
        Assert.Equal(PartsReader.DuringKeys, Keys(defined.GetProperty("handling").GetProperty("properties").GetProperty("during")));
        Assert.Equal(PartsReader.AfterKeys, Keys(defined.GetProperty("handling").GetProperty("properties").GetProperty("after")));
        Assert.Equal(PartsReader.CompanionKeys, Keys(defined.GetProperty("companion")));
        Assert.Equal(PartsReader.RemovalKeys, Keys(defined.GetProperty("removal")));
        Assert.Equal(ManifestReader.PresenceKeys, Keys(defined.GetProperty("presence")));
        Assert.Equal(
            ExitCodes.Meanings.Keys,
            defined.GetProperty("step").GetProperty("properties").GetProperty("exit-codes").GetProperty("additionalProperties").GetProperty("enum")
                .EnumerateArray().Select(word => word.GetString()!));

        static IEnumerable<string> Keys(JsonElement element) => element.GetProperty("properties").EnumerateObject().Select(property => property.Name);
    }

    [Theory]
    [InlineData("a/b.txt", true)]
    [InlineData("../a", false)]
    [InlineData("a/../b", false)]
    [InlineData("/etc/passwd", false)]
    [InlineData("c:/x", false)]
    [InlineData("a\\b", false)]
    [InlineData("a//b", false)]
    [InlineData("a/./b", false)]
    [InlineData("a /b", false)]
    [InlineData("a\0b", false)]
    [InlineData("", false)]
    public void Only_names_below_the_folder_are_safe(string path, bool isSafe) => Assert.Equal(isSafe, SafePath.Problem(path) is null);

    [Theory]
    [InlineData("Program Files/Foldline/foldline.exe", null)]
    [InlineData(@"C:\Program Files\Foldline\foldline.exe", "write 'Program Files/Foldline/foldline.exe'")]
    [InlineData(@"Program Files\Foldline\foldline.exe", "write 'Program Files/Foldline/foldline.exe'")]
    [InlineData(@"%ProgramFiles%\Foldline", "names a variable, which nobody fills in here; write 'Program Files/Foldline'")]
    [InlineData(@"%ProgramFiles(x86)%\Foldline", "write 'Program Files (x86)/Foldline'")]
    [InlineData("D:/Foldline", "is on the drive D:, which not every device has")]
    [InlineData("../Foldline", "climbs out of the folder")]
    public void A_place_on_a_device_is_written_from_its_root_or_system_drive(string path, string? says)
    {
        var problem = SafePath.OnDevice(path);
        Assert.Equal(says is null, problem is null);
        Assert.Contains(says ?? "", problem ?? "");
        var manifest = Samples.Manifest.Replace("version-in: /opt/foldline/VERSION", $"version-in: '{path}'");
        Assert.Equal(says is null, ManifestReader.Read(manifest).Ok);
    }

    [Theory]
    [InlineData("7.2.0", PresenceAnswer.Present)]
    [InlineData("7.2", PresenceAnswer.Present)]
    [InlineData("7.1.9", PresenceAnswer.Older)]
    [InlineData("7.10", PresenceAnswer.Newer)]
    [InlineData(null, PresenceAnswer.NotKnown)]
    public void A_version_that_was_found_is_compared(string? found, PresenceAnswer expected) =>
        Assert.Equal(expected, Presence.Judge("Foldline", AppVersion.Parse("7.2.0"), [(VersionIn, new Observation(true, null, found, null))]).Answer);

    [Fact]
    public void All_checks_must_hold_and_one_that_cannot_look_makes_it_not_known()
    {
        var file = new PresenceCheck(PresenceKind.File, "opt/x", [], null, "ab", null);
        var there = new Observation(true, null, "7.2.0", null);
        var version = AppVersion.Parse("7.2.0");
        Assert.Equal(PresenceAnswer.Present, Judge(there, new Observation(true, null, null, "AB")));
        Assert.Equal(PresenceAnswer.Absent, Judge(there, new Observation(true, null, null, "cd")));
        Assert.Equal(PresenceAnswer.Absent, Judge(there, Observation.NotThere));
        Assert.Equal(PresenceAnswer.NotKnown, Judge(Observation.NotThere, Observation.CouldNotLook("permission denied")));

        PresenceAnswer Judge(Observation first, Observation second) => Presence.Judge("Foldline", version, [(VersionIn, first), (file, second)]).Answer;
    }

    [Fact]
    public void A_version_in_the_wild_proves_every_revision_but_a_receipt_tells_them_apart()
    {
        var receipt = new PresenceCheck(PresenceKind.Receipt, "", [], null, null, null);
        var seen = new Observation(true, null, "7.2.0", null);
        Assert.Equal(PresenceAnswer.Present, Presence.Judge("Foldline", AppVersion.Parse("7.2.0+2"), [(VersionIn, seen)]).Answer);
        Assert.Equal(PresenceAnswer.Older, Presence.Judge("Foldline", AppVersion.Parse("7.2.0+2"), [(receipt, seen)]).Answer);
    }

    [Theory]
    [InlineData(0, ExitMeaning.Done)]
    [InlineData(3010, ExitMeaning.RestartNeeded)]
    [InlineData(1641, ExitMeaning.Restarting)]
    [InlineData(1618, ExitMeaning.Busy)]
    [InlineData(1602, ExitMeaning.Refused)]
    [InlineData(1, ExitMeaning.Failed)]
    [InlineData(-1, ExitMeaning.Failed)]
    [InlineData(9, ExitMeaning.Done)]
    public void Unknown_codes_are_failures_and_the_manifest_wins(int code, ExitMeaning expected) =>
        Assert.Equal(expected, ExitCodes.Meaning(code, new Dictionary<int, ExitMeaning> { [9] = ExitMeaning.Done }));

    [Theory]
    [InlineData(PackageState.Built, PackageEvent.ReleaseAsked, false, "x", null)]
    [InlineData(PackageState.Built, PackageEvent.ReleaseAsked, true, "", null)]
    [InlineData(PackageState.Built, PackageEvent.ReleaseAsked, true, "urgent", PackageState.Released)]
    [InlineData(PackageState.Built, PackageEvent.TrialPassed, false, "", PackageState.Tried)]
    [InlineData(PackageState.Built, PackageEvent.WithdrawAsked, false, "bad", PackageState.Withdrawn)]
    [InlineData(PackageState.Tried, PackageEvent.ReleaseAsked, false, "", PackageState.Released)]
    [InlineData(PackageState.Tried, PackageEvent.TrialPassed, false, "", PackageState.Tried)]
    [InlineData(PackageState.Tried, PackageEvent.WithdrawAsked, false, "bad", PackageState.Withdrawn)]
    [InlineData(PackageState.Released, PackageEvent.ReleaseAsked, true, "x", null)]
    [InlineData(PackageState.Released, PackageEvent.TrialPassed, false, "", null)]
    [InlineData(PackageState.Released, PackageEvent.WithdrawAsked, false, "", null)]
    [InlineData(PackageState.Released, PackageEvent.WithdrawAsked, false, "bad", PackageState.Withdrawn)]
    [InlineData(PackageState.Withdrawn, PackageEvent.ReleaseAsked, true, "x", null)]
    [InlineData(PackageState.Withdrawn, PackageEvent.TrialPassed, true, "x", null)]
    [InlineData(PackageState.Withdrawn, PackageEvent.WithdrawAsked, true, "x", null)]
    public void The_life_of_a_package_goes_only_forward(PackageState state, PackageEvent asked, bool mayReleaseUntried, string reason, PackageState? expected)
    {
        var decided = PackageLife.Decide(state, asked, new Releaser(mayReleaseUntried, MustBeAnother: false, IsBuilder: true), reason);
        Assert.Equal(expected, decided.Ok ? decided.Value : null);
    }

    [Fact]
    public void A_container_gives_back_what_was_put_in_and_nothing_that_was_changed()
    {
        var payload = RandomNumberGenerator.GetBytes(5000);
        var digest = Convert.ToHexStringLower(SHA256.HashData(payload));
        var good = Zip(("package.json", "{}"u8.ToArray()), ("package.jws", "x"u8.ToArray()), ("files/" + digest, payload));
        using var archive = Container.Open(new MemoryStream(good)).Value;
        Assert.Equal(5000, Container.ReadContent(archive).Value.Files[digest]);
        Assert.True(Container.Extract(archive, digest, 5000, Stream.Null).Ok);
        Assert.Contains("more than", Container.Extract(archive, digest, 4999, Stream.Null).Failure!.Message);
        Assert.Contains("damaged", Container.Extract(archive, digest, 5001, Stream.Null).Failure!.Message);
    }

    [Theory]
    [InlineData("../../etc/cron.d/x")]
    [InlineData("files/../x")]
    [InlineData("/abs")]
    [InlineData("files/short")]
    [InlineData("readme.txt")]
    public void A_container_with_a_name_that_belongs_nowhere_is_refused(string name)
    {
        using var archive = Container.Open(new MemoryStream(Zip(("package.json", [1]), ("package.jws", [1]), (name, [1])))).Value;
        Assert.Contains("no place in a package file", Container.ReadContent(archive).Failure!.Message);
    }

    [Fact]
    public void A_bomb_stops_where_its_document_says_it_should()
    {
        var zeros = new byte[50_000_000];
        var digest = Convert.ToHexStringLower(SHA256.HashData(zeros));
        var bomb = Zip(("package.json", [1]), ("package.jws", [1]), ("files/" + digest, zeros));
        Assert.True(bomb.Length < 100_000);
        using var archive = Container.Open(new MemoryStream(bomb)).Value;
        var target = new MemoryStream();
        Assert.Contains("unpacks to more", Container.Extract(archive, digest, 1000, target).Failure!.Message);
        Assert.True(target.Length <= 1000);
        var document = Zip(("package.json", new byte[Container.MaxDocument + 1]), ("package.jws", [1]));
        using var large = Container.Open(new MemoryStream(document)).Value;
        Assert.Contains("too large", Container.ReadContent(large).Failure!.Message);
    }

    [Fact]
    public void No_damage_to_a_container_makes_the_reader_fail_otherwise()
    {
        var payload = Encoding.UTF8.GetBytes(string.Concat(Enumerable.Repeat("foldline ", 300)));
        var digest = Convert.ToHexStringLower(SHA256.HashData(payload));
        var good = Zip(("package.json", "{}"u8.ToArray()), ("package.jws", "x"u8.ToArray()), ("files/" + digest, payload));
        Gen.Select(Gen.Int[0, good.Length - 1], Gen.Byte, Gen.Int[0, good.Length], Gen.Bool).Sample((at, value, length, cut) =>
        {
            var bytes = good.ToArray();
            bytes[at] = value;
            using var stream = new MemoryStream(cut ? bytes[..length] : bytes);
            var opened = Container.Open(stream);
            if (!opened.Ok)
            {
                return;
            }

            using var archive = opened.Value;
            if (Container.ReadContent(archive) is { Ok: true } content && content.Value.Files.ContainsKey(digest))
            {
                var target = new MemoryStream();
                if (Container.Extract(archive, digest, payload.Length, target).Ok)
                {
                    Assert.Equal(payload, target.ToArray());
                }
            }
        }, iter: 5_000);
    }

    private static readonly PresenceCheck VersionIn = new(PresenceKind.FileVersion, "opt/foldline/VERSION", [], null, null, null);

    private static byte[] Zip(params (string Name, byte[] Content)[] entries)
    {
        var stream = new MemoryStream();
        using (var archive = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (name, content) in entries)
            {
                using var target = archive.CreateEntry(name).Open();
                target.Write(content);
            }
        }

        return stream.ToArray();
    }
}
