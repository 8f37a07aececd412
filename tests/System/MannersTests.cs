using System.Text.Json;
using System.Text.RegularExpressions;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>What holds for every command: no word is taken for something else, and what is printed is for the eye or for a program.</summary>
public sealed partial class MannersTests
{
    /// <summary>Sentences that libraries say and we do not.</summary>
    private static readonly string[] NotOurs =
        ["Required command", "Required argument", "Unrecognized", "Cannot parse argument", "expected type", "System.", "inner exception", "must be one of", "Option '"];

    [Fact]
    public async Task Every_command_tells_wrong_words_from_right_ones_in_its_own_voice()
    {
        await using var site = await Site.Start();
        var commands = await Commands(site, []);
        Assert.True(commands.Count > 70, $"{commands.Count} commands were found.");
        var shorts = new Dictionary<string, HashSet<string>>(StringComparer.Ordinal);
        var helps = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var command in commands)
        {
            var (code, output, errors) = await site.Run([.. command, "--nonsense"]);
            var path = string.Join(' ', command);
            Assert.True(code == 2 && output.Length == 0, $"{path} --nonsense ended with {code}: {output}{errors}");
            Assert.Contains($"'bandejo {path}' has no option '--nonsense'.", errors);
            Assert.EndsWith($"See: bandejo {path} --help", errors.TrimEnd(), StringComparison.Ordinal);

            // Too few words, too many, and a value that is none.
            foreach (var words in (string[][])[[.. command, "--output"], [.. command, "--output", "xml"], [.. command, "--timeout", "soon"], [.. command, "a", "b", "c", "d", "e", "f"]])
            {
                (code, _, errors) = await site.Run(words);
                Assert.True(code is 2 or 3 or 4 || words[^1] == "f", $"{string.Join(' ', words)} ended with {code}: {errors}");
                Assert.True(!NotOurs.Any(each => errors.Contains(each, StringComparison.Ordinal)), $"{string.Join(' ', words)}: {errors}");
            }

            var help = helps[path] = (await site.Run([.. command, "--help"])).Output;
            foreach (Match option in Short().Matches(help))
            {
                (shorts.TryGetValue(option.Groups[1].Value, out var known) ? known : shorts[option.Groups[1].Value] = []).Add(option.Groups[2].Value);
            }
        }

        foreach (var (page, words) in Pages())
        {
            var path = Enumerable.Range(1, words.Count).Reverse().Select(count => string.Join(' ', words.Take(count))).FirstOrDefault(helps.ContainsKey);
            Assert.True(path is not null, $"{page} tells people to type 'bandejo {string.Join(' ', words)}', of which there is no command.");
            Assert.All(words.Where(word => word.StartsWith("--", StringComparison.Ordinal) && word.Length > 2), option => Assert.True(
                Regex.IsMatch(helps[path!], $@"(?m)^ .*{Regex.Escape(option.Split('=')[0])}[ ,\r\n]"), $"{page}: 'bandejo {path}' has no {option}."));
        }

        Assert.All(shorts, pair => Assert.True(pair.Value.Count == 1, $"{pair.Key} means {string.Join(" and ", pair.Value)}."));
        foreach (var (words, says) in (IEnumerable<(string, string)>)[
            ("group", "Say what to do: bandejo group list | show"), ("group lsit", "There is no 'bandejo group lsit'. Did you mean 'list'?"),
            ("device show", "'bandejo device show' needs a device: the device's name."), ("deployment start x --exept y", "has no option '--exept'. Did you mean '--except'?"),
            ("journal --limit many", "--limit takes a whole number, not 'many'."), ("journal --topic jornal", "Did you mean 'journal'?"),
            ("device list two words", "'words' is one word too many for 'bandejo device list'. What has spaces in it stands in quotes."),
            ("device history X --deployment --limit 3", "--deployment needs a value before --limit")])
        {
            var (code, _, errors) = await site.Run(words.Split(' '));
            Assert.Equal(2, code);
            Assert.Contains(says, errors);
        }

        // Behind -- a word is what it is.
        Assert.Equal(0, (await site.Run("device", "list", "--", "--foo")).Code);
    }

    /// <summary>The words of each command that README and guide tell people to type, as far as a shell does nothing with them.</summary>
    private static IEnumerable<(string Page, IReadOnlyList<string> Words)> Pages()
    {
        var pages = Directory.GetFiles(Path.Combine(Programs.Root(), "docs/guide"), "*.md").Append(Path.Combine(Programs.Root(), "README.md")).ToList();
        Assert.True(pages.Count > 10);
        foreach (var page in pages)
        {
            var text = File.ReadAllText(page).Replace("\\\n", " ", StringComparison.Ordinal);
            foreach (var block in text.Split("\n```").Where((_, at) => at % 2 == 1).Where(block => block.StartsWith('\n')))
            {
                foreach (var line in block.Split('\n').Where(line => line.StartsWith("bandejo ", StringComparison.Ordinal)))
                {
                    yield return (Path.GetFileName(page), [.. Regex.Matches(line.Split(" | ")[0], """(?:[^\s"']|"[^"]*"|'[^']*')+""").Skip(1).Select(word => word.Value)
                        .TakeWhile(word => word is not ("--" or ">" or "&&" or "||" or ";"))]);
                }
            }
        }
    }

    [Fact]
    public async Task Whoever_asks_for_json_gets_json_and_whoever_asks_for_csv_gets_a_table()
    {
        await using var site = await Site.Start();
        await site.Package("notes", "2.0", "exit 0");
        await site.Device("DESK-1", Site.Enrolled);
        await site.Must("deployment", "start", "notes", "--to", Site.Enrolled, "--name", "Notes", "--yes");
        foreach (var words in (string[])[
            "today", "device list", "device show DESK-1", "device why DESK-1", "device history DESK-1", "device join-code list", "deployment list",
            "deployment show Notes", "deployment targets Notes", "deployment pause Notes --reason x", "deployment resume Notes --reason x", "group list",
            "group show enrolled", "group new desks --rule known", "group change enrolled --name Enrolled", "group preview yes", "app list", "app show notes",
            "package list", "package show notes", "package room", "compliance show", "compliance export", "compliance check --least 0", "trend fleet",
            "wave-plan list", "handling list", "journal", "keeping show", "clock show", "identity show", "account list", "token list", "journal verify"])
        {
            var (code, output, errors) = await site.Run([.. words.Split(' '), "--output", "json"]);
            Assert.True(code is 0 or 1 or 3, $"{words}: {code} {errors}");
            if (code == 0)
            {
                try
                {
                    JsonDocument.Parse(output).Dispose();
                }
                catch (JsonException error)
                {
                    Assert.Fail($"{words} is no JSON ({error.Message}): {output}");
                }
            }
        }

        var paused = JsonDocument.Parse(await site.Must("deployment", "pause", "Notes", "--reason", "x", "--output", "json")).RootElement;
        Assert.Contains("Paused", paused.GetProperty("says").GetString());
        Assert.Equal("paused", paused.GetProperty("answer").GetProperty("deployment").GetProperty("status").GetString());
        await site.Must("deployment", "resume", "Notes", "--reason", "x");
        foreach (var words in (string[])["device list", "deployment list", "deployment targets Notes", "group list", "package list", "compliance show", "journal"])
        {
            var lines = (await site.Must([.. words.Split(' '), "--output", "csv"])).Split('\n', StringSplitOptions.RemoveEmptyEntries);
            Assert.True(lines.Length > 1 && lines[0].Split(',').Length == lines[0].Split(',').Distinct().Count(), $"{words}: {lines[0]}");
            Assert.DoesNotContain(lines, line => line.Contains(" ago", StringComparison.Ordinal) || line.Contains(" %", StringComparison.Ordinal));
        }

        var (no, _, says) = await site.Run("deployment", "pause", "Notes", "--reason", "x", "--output", "csv");
        Assert.Equal((2, true), (no, says.Contains("prints no table that could be CSV", StringComparison.Ordinal)));
        Assert.NotEqual("paused", (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single().Status);
    }

    [Fact]
    public async Task Names_are_found_alike_and_dangerous_things_ask_and_say_to_how_many()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.2.0", "mkdir -p \"$T\"; echo 7.2.0 > \"$T/VERSION\"");
        await site.Device("ALD-DESK-001", Site.Enrolled);
        await site.Device("ALD-DESK-002", Site.Enrolled);
        await site.Must("deployment", "start", "fold 7.2", "--to", "Enroll", "--name", "Foldline everywhere", "--yes");
        var id = (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single().Id;
        await site.Admin.Becomes(id, "ALD-DESK-001", "met");
        await site.Admin.Becomes(id, "ALD-DESK-002", "met");
        Assert.Contains("ALD-DESK-001", await site.Must("device", "show", "ald-desk-001"));
        Assert.Contains("Foldline everywhere", await site.Must("deployment", "show", "foldline e"));
        Assert.Contains("holds", await site.Must("group", "change", "ENROLLED", "--name", "Enrolled desks"));
        var package = (await site.Admin.Get("/api/v1/packages", ContractJson.Default.PagePackageInfo)).Items.Single();
        Assert.Contains("7.2.0", await site.Must("package", "show", package.Digest[..4]));
        foreach (var (words, says) in (IEnumerable<(string[], string)>)[
            (["device", "show", "ald-desk"], "'ald-desk' may mean 2 devices"), (["device", "show", "ALD-DESC-001"], "Did you mean 'ALD-DESK-001'?"),
            (["group", "show", "enroled"], "Did you mean 'enrolled'?"), (["deployment", "show", "Foldlin everywhere"], "Did you mean 'Foldline everywhere'?"),
            (["journal", "--device", "NOBODY"], "There is no device 'NOBODY'."), (["app", "show", "foldlin7"], "There is no app 'foldlin7'. Did you mean 'foldline'?"),
            (["package", "list", "--app", "nothing"], "There is no app 'nothing'."), (["compliance", "export", "--app", "nothing"], "There is no app 'nothing'."),
            (["journal", "--app", "nothing"], "There is no app 'nothing'."), (["account", "change", "root-adnim", "--name", "x"], "Did you mean 'root-admin'?"),
            (["token", "remove", "12"], "Give its identity, or 4 or more of its first characters."), (["device", "join-code", "remove", "zzzz"], "There is no join code 'zzzz'."),
            (["device", "list", "--group", "enroled"], "Did you mean 'enrolled'?"), (["device", "list", "site is ALD"], "It was read as a rule")])
        {
            var (code, output, errors) = await site.Run(words);
            Assert.True(code is 3, $"{string.Join(' ', words)}: {code} {output}");
            Assert.Contains(says, errors);
        }

        Assert.Equal(await site.Must("journal", "--group", "enrolled", "-o", "csv"), await site.Must("journal", "--group", "ENROLL", "-o", "csv"));

        // The same for all nouns.
        Assert.Contains("foldline 7.2.0", (await site.Must("package", "list", "--app", "FOLD")).Replace("  ", " "));
        Assert.Contains("newest", await site.Must("app", "show", "fold"));
        await site.Package("foldline", "7.3.0", "exit 1", isReleased: true);
        Assert.Contains("behind", await site.Must("app", "show", "fold"));
        Assert.Contains("root-admin", await site.Must("account", "change", "ROOT", "--name", "First administrator"));
        await site.Must("device", "join-code", "new", "--group", "enrolled");
        var code2 = (await site.Admin.Get("/api/v1/join-codes", ContractJson.Default.IReadOnlyListJoinCodeInfo)).First();
        await site.Must("device", "join-code", "remove", code2.Id[..16]);
        Assert.DoesNotContain(code2.Id, await site.Must("device", "join-code", "list"));

        // A list says how it is sorted, signs are told, and what several names are given with.
        Assert.Contains("2 devices, sorted by heard, the other way round.", await site.Must("device", "list", "--sort=-heard", "--group", "enrolled"));
        Assert.Contains("■ met", await site.Must("deployment", "list"));
        foreach (var several in (string[][])[["--state", "met", "failed"], ["--state", "met,failed"], ["--state", "met", "--state", "failed"]])
        {
            Assert.Contains("2 devices, sorted by name.", await site.Must(["deployment", "targets", id, .. several]));
        }

        Assert.Contains("2 devices, sorted by name, the other way round.", await site.Must("deployment", "targets", id, "--sort=-name"));

        // What cannot be taken back is asked for, with what it does; without an answer nothing is done.
        foreach (var (words, says) in (IEnumerable<(string[], string)>)[
            (["device", "remove", "ald-desk-002"], "Remove ALD-DESK-002? It leaves the 1 deployment"),
            (["group", "member", "remove", "enrolled", "ALD-DESK-002"], "'Foldline everywhere' gives 1 device nothing any more; what it installed stays."),
            (["deployment", "end", "foldline e", "--reason", "x"], "No more orders go out to 2 devices"),
            (["package", "withdraw", "foldline 7.2.0", "--reason", "x"], "'Foldline everywhere' halts; it is on 2 devices")])
        {
            var (code, output, errors) = await site.Run(words);
            Assert.Equal(2, code);
            Assert.Contains(says, errors + output);
            Assert.Contains("Nothing was done: say --yes", errors);
        }

        Assert.Equal("standing", (await site.Admin.Get($"/api/v1/deployments/{id}", ContractJson.Default.DeploymentDetails)).Deployment.Status);
        await site.Must("group", "member", "remove", "enrolled", "ALD-DESK-002", "--yes");
        await site.Admin.Becomes(id, "ALD-DESK-002", "left");
        Assert.Contains("1 device comes under 'Foldline everywhere'", (await site.Run("group", "member", "add", "enrolled", "ALD-DESK-002")).Errors);
    }

    [Fact]
    public async Task Whoever_waits_is_told_for_what_and_can_end_it()
    {
        await using var site = await Site.StartApart();
        await site.Package("notes", "2.0", "exit 0");
        await site.Device("DESK-1", Site.Enrolled);
        await site.Must("deployment", "start", "notes", "--to", Site.Enrolled, "--name", "Notes", "--yes");

        // Ctrl-C at something that goes on for ever: whatever is to come after it does not come.
        var (code, _) = await Ended(site, "deployment", "watch", "Notes", "--until", "ended");
        Assert.Equal(130, code);

        // A terminal is left as it was; with NO_COLOR nothing but words comes.
        foreach (var (color, isNone) in new[] { ("", false), ("1", true) })
        {
            using var shown = site.AtTerminal(new Dictionary<string, string> { ["NO_COLOR"] = color }, "device", "list");
            var screen = await shown.StandardOutput.ReadToEndAsync(TestContext.Current.CancellationToken);
            Assert.Contains("DESK-1", screen);
            Assert.DoesNotContain("\u001b[?", screen);
            Assert.Equal(isNone, !screen.Contains('\u001b'));
        }

        // At a question too, and nothing was done; the end of the input is no yes.
        foreach (var (key, ends) in new[] { ('\u0003', 130), ('\u0004', 1), ('n', 1) })
        {
            using var asked = site.AtTerminal([], "deployment", "end", "Notes", "--reason", "x");
            var said = "";
            while (!said.Contains("[y/N]", StringComparison.Ordinal))
            {
                var some = new char[256];
                var read = await asked.StandardOutput.ReadAsync(some, TestContext.Current.CancellationToken);
                Assert.True(read > 0, $"It ended without a question: {said}");
                said += new string(some, 0, read);
            }

            await asked.StandardInput.WriteAsync(key == 'n' ? "n\n" : $"{key}");
            await asked.StandardInput.FlushAsync(TestContext.Current.CancellationToken);
            await asked.WaitForExitAsync(TestContext.Current.CancellationToken);
            Assert.Equal((key, ends), (key, asked.ExitCode));
        }

        Assert.NotEqual("ended", (await site.Admin.Get("/api/v1/deployments", ContractJson.Default.IReadOnlyListDeploymentInfo)).Single().Status);

        await Signal("STOP", site.Process.Pid);
        var (frozen, _, says) = await site.Run("device", "list", "--timeout", "6");
        await Signal("CONT", site.Process.Pid);
        Assert.Equal(4, frozen);
        Assert.Contains("which has not answered for 4 s; it is given up after 6 s", says);
        Assert.Contains("has not answered for 6 s", says);
        await site.Process.Kill();
        var (gone, _, refused) = await site.Run("today");
        Assert.Equal((4, true), (gone, refused.Contains("cannot be reached: nothing listens.", StringComparison.Ordinal)));
    }

    [Fact]
    public async Task What_several_commands_print_into_one_file_stands_there_one_behind_the_other()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "reception");
        var (said, typed) = (Path.Combine(site.Temporary, "said"), Path.Combine(site.Temporary, "typed"));
        await File.WriteAllTextAsync(typed, $"{ServiceProcess.FirstPassword}\nleft over\n", TestContext.Current.CancellationToken);
        await site.Shell($"exec > {said} 2>&1 < {typed}; bandejo group list; echo between; bandejo group show recepti; bandejo sign-in root-admin; cat");
        var lines = await File.ReadAllLinesAsync(said, TestContext.Current.CancellationToken);
        Assert.Contains("between", lines);
        Assert.StartsWith("Group", lines[0], StringComparison.Ordinal);
        Assert.Contains(lines[(Array.IndexOf(lines, "between") + 1)..], line => line.Contains("No device is in it", StringComparison.Ordinal));

        // What one command did not read is there for the next.
        Assert.Equal("left over", lines[^1]);
    }

    [Fact]
    public async Task Names_are_completed_from_what_there_is_and_a_service_that_is_gone_costs_nothing()
    {
        await using var site = await Site.StartApart();
        await site.Must("group", "new", "reading-rooms");
        await site.Must("group", "new", "reception");
        Assert.Equal(["reading-rooms", "reception"], await Completed("bandejo group show re"));
        Assert.Equal(["change", "check-in", "fetch"], await Completed("bandejo group ch"));
        Assert.Equal(["csv"], await Completed("bandejo device list --output c"));
        await site.Process.Kill();
        Assert.Empty(await Completed("bandejo group show re"));

        async Task<IReadOnlyList<string>> Completed(string line)
        {
            var (code, output, errors) = await site.Run($"[suggest:{line.Length}]", line);
            Assert.True(code == 0 && errors.Length == 0, $"{line}: {code} {errors}");
            return [.. output.Split('\n', StringSplitOptions.RemoveEmptyEntries).Select(each => each.Trim())];
        }
    }

    /// <summary>Ends a command as Ctrl-C does, once it speaks with the service.</summary>
    private static async Task<(int Code, string Output)> Ended(Site site, params string[] words)
    {
        var run = new TaskCompletionSource<global::System.Diagnostics.Process>();
        site.Watch = process => run.TrySetResult(process);
        var ended = site.Run(words);
        var process = await run.Task;
        await ApiClient.Comes(
            () => Task.FromResult(Directory.EnumerateFileSystemEntries($"/proc/{process.Id}/fd").Any(
                each => File.ResolveLinkTarget(each, false)?.Name.StartsWith("socket:", StringComparison.Ordinal) == true)),
            "it speaks with the service");
        await Signal("INT", process.Id);
        site.Watch = null;
        var (code, output, _) = await ended;
        return (code, output);
    }

    private static async Task Signal(string name, int process)
    {
        using var kill = Programs.Start("kill", [$"-{name}", $"{process}"]);
        await kill.WaitForExitAsync(TestContext.Current.CancellationToken);
    }

    /// <summary>All commands that do something, by their words.</summary>
    private static async Task<List<string[]>> Commands(Site site, string[] path)
    {
        var help = (await site.Run([.. path, "--help"])).Output;
        var part = help.IndexOf("Commands:", StringComparison.Ordinal);
        var names = part < 0 ? [] : Verb().Matches(help[part..]).Select(match => match.Groups[1].Value).ToList();
        var found = new List<string[]>();
        foreach (var name in names)
        {
            found.AddRange(await Commands(site, [.. path, name]));
        }

        return names.Count == 0 ? [path] : found;
    }

    [GeneratedRegex("^  ([a-z-]+)( |$)", RegexOptions.Multiline)]
    private static partial Regex Verb();

    [GeneratedRegex("^  (-[a-z]), (--[a-z-]+)", RegexOptions.Multiline)]
    private static partial Regex Short();
}
