using System.Net;
using System.Net.Sockets;
using System.Text;
using System.Text.Json;
using System.Text.RegularExpressions;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;
using Bandejo.Kit;
using Microsoft.Data.Sqlite;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>The service and the command line as others see them.</summary>
public sealed class ServiceTests
{
    [Fact]
    public async Task The_description_of_the_api_is_the_one_that_is_committed()
    {
        await using var site = await Site.StartApart();
        var file = Path.Combine(Programs.Root(), "docs/reference/openapi.json");
        var now = (await site.Admin.Http.GetStringAsync("/api/v1/openapi.json")).ReplaceLineEndings("\n").TrimEnd() + "\n";
        if (Environment.GetEnvironmentVariable("BANDEJO_WRITE_REFERENCE") is not null)
        {
            await File.WriteAllTextAsync(file, now);
        }

        Assert.True(
            now == await File.ReadAllTextAsync(file),
            $"The API has changed. Look at the change, then write {file} anew with: BANDEJO_WRITE_REFERENCE=1 make test");

        // The limits that bodies are held to stand in it, those that are said and the usual.
        var schemas = JsonDocument.Parse(now).RootElement.GetProperty("components").GetProperty("schemas");
        Assert.Equal(
            ApiLimits.MaxReason, schemas.GetProperty("ReasonRequest").GetProperty("properties").GetProperty("reason").GetProperty("maxLength").GetInt32());
        Assert.Equal(100, schemas.GetProperty("DeploymentRequest").GetProperty("properties").GetProperty("waves").GetProperty("maxItems").GetInt32());
        Assert.Equal(
            MessageForm.MaxText, schemas.GetProperty("DeploymentRequest").GetProperty("properties").GetProperty("halt").GetProperty("maxLength").GetInt32());
    }

    [Fact]
    public async Task More_connections_than_there_may_be_take_the_place_of_those_that_ask_nothing_and_the_service_goes_on()
    {
        await using var site = await Site.Start("--connections", "16");
        var address = new Uri(site.Service.Address);
        List<TcpClient> taken = [];
        try
        {
            for (var i = 0; i < 40; i++)
            {
                // One whose place is still being freed may be turned away; it comes again, as clients do.
                TcpClient? client = null;
                for (var again = 0; client is null; again++)
                {
                    Assert.True(again < 50, $"The connection {i} was never answered.");
                    client = await Answered(address);
                }

                taken.Add(client);
            }

            // Those that had asked nothing for the longest were closed, in the order in which they had been answered.
            foreach (var client in taken.Take(40 - 16))
            {
                Assert.True(await IsClosed(client), "A connection beyond the limit was left open.");
            }
        }
        finally
        {
            taken.ForEach(client => client.Dispose());
        }

        await site.Admin.Until(async () => (await site.Run("group", "list")).Code == 0, "it answers again");

        static async Task<TcpClient?> Answered(Uri address)
        {
            var client = new TcpClient();
            try
            {
                await client.ConnectAsync(address.Host, address.Port, TestContext.Current.CancellationToken);
                await client.GetStream().WriteAsync("GET /healthz/live HTTP/1.1\r\nHost: x\r\n\r\n"u8.ToArray(), TestContext.Current.CancellationToken);
                if (await client.GetStream().ReadAsync(new byte[1000], TestContext.Current.CancellationToken) > 0)
                {
                    return client;
                }
            }
            catch (IOException)
            {
                // Turned away.
            }

            client.Dispose();
            return null;
        }

        static async Task<bool> IsClosed(TcpClient client)
        {
            try
            {
                return await client.GetStream().ReadAsync(new byte[100], TestContext.Current.CancellationToken).AsTask()
                    .WaitAsync(TimeSpan.FromSeconds(240)) == 0;
            }
            catch (IOException)
            {
                return true;
            }
        }
    }

    [Fact]
    public async Task Two_people_who_change_the_same_group_do_not_overwrite_each_other()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "desks", "--rule", "kind is \"desk\"");
        var body = """{"slug":"desks","name":"Desks","rule":"kind is \"kiosk\""}""";
        Assert.Equal(HttpStatusCode.PreconditionFailed, (await site.Admin.Send(HttpMethod.Put, "/api/v1/groups/desks", body)).Status);
        Assert.Equal(HttpStatusCode.OK, (await site.Admin.Send(HttpMethod.Put, "/api/v1/groups/desks", body, ("If-Match", "\"1\""))).Status);
        var (status, answer) = await site.Admin.Send(HttpMethod.Put, "/api/v1/groups/desks", body, ("If-Match", "\"1\""));
        Assert.Equal(HttpStatusCode.PreconditionFailed, status);
        Assert.Contains("Somebody changed this meanwhile", answer);
        Assert.Equal(HttpStatusCode.PreconditionFailed, (await site.Admin.Send(HttpMethod.Delete, "/api/v1/groups/desks", null, ("If-Match", "\"1\""))).Status);
        Assert.Equal(HttpStatusCode.NoContent, (await site.Admin.Send(HttpMethod.Delete, "/api/v1/groups/desks", null, ("If-Match", "\"2\""))).Status);
    }

    [Fact]
    public async Task Pages_follow_each_other_without_gap_or_repetition()
    {
        await using var site = await Site.Start();
        var code = (
            await site.Admin.Post("/api/v1/join-codes", new JoinCodeRequest(Uses: 7), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo))
            .Code!;
        for (var i = 0; i < 7; i++)
        {
            using var device = new DeviceClient(site.Service.Address);
            await device.Join(code, $"DEV-{i}");
        }

        var names = new List<string>();
        string? cursor = null;
        do
        {
            var page = await site.Admin.Get($"/api/v1/devices?limit=3{(cursor is null ? "" : $"&cursor={cursor}")}", ContractJson.Default.PageDeviceInfo);
            Assert.Equal(7, page.Total);
            names.AddRange(page.Items.Select(device => device.Name));
            cursor = page.Next;
        }
        while (cursor is not null);
        Assert.Equal(Enumerable.Range(0, 7).Select(i => $"DEV-{i}"), names);
        Assert.Contains("DEV-3", await site.Must("device", "list", "name in (\"DEV-3\", \"DEV-9\")"));
        Assert.DoesNotContain("DEV-2", await site.Must("device", "list", "ev-3"));
    }

    [Fact]
    public async Task The_stream_of_events_goes_on_after_the_last_number_that_was_seen()
    {
        await using var site = await Site.Start();
        await site.Must("group", "new", "one");
        await site.Must("group", "new", "two");
        var first = await Events(site, "0", 3);
        var resumed = await Events(site, $"{first[^2]}", 1);
        Assert.Equal(first[^1], resumed[0]);
        Assert.Equal(first, first.Order());
    }

    [Fact]
    public async Task Health_and_figures_are_there_for_monitoring()
    {
        await using var site = await Site.StartApart();
        Assert.Equal("live", await site.Admin.Http.GetStringAsync("/healthz/live"));
        Assert.Equal("ready", await site.Admin.Http.GetStringAsync("/healthz/ready"));
        await site.Admin.Send(new HttpMethod("INVENTED"), "/api/v1/groups");
        await site.Admin.Send(HttpMethod.Get, "/api/v1/devices/nobody");
        await site.Admin.Send(HttpMethod.Post, DeviceProtocol.Prefix + "/check-in", "{}");
        var metrics = await site.Admin.Http.GetStringAsync("/metrics");
        Assert.Matches(new Regex(@"^bandejo_devices\S* 0", RegexOptions.Multiline), metrics);
        Assert.Equal(1, Answered("GET", "/healthz/live", 200));
        Assert.Equal(1, Answered("GET", "/api/v1/devices/{device}", 404));
        Assert.Equal(1, Answered("POST", DeviceProtocol.Prefix + "/check-in", 401));
        Assert.DoesNotContain("INVENTED", metrics);
        Assert.Contains("_OTHER", metrics);

        int Answered(string method, string route, int status) =>
            metrics.Split('\n').Where(line => line.StartsWith("http_server_request_duration_seconds_count{", StringComparison.Ordinal)
            && line.Contains($"\"{method}\"") && line.Contains($"\"{route}\"") && line.Contains($"\"{status}\"")).Select(line =>
                int.Parse(line.Split("} ")[1].Split(' ')[0])).DefaultIfEmpty().Single();
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task A_database_that_somebody_locks_refuses_changes_and_recovers_by_itself_also_where_the_clock_stands_still(bool standsStill)
    {
        using var clock = new ClockFolder();
        await using var site = await (standsStill ? Site.Start("--demo-clock", clock.File) : Site.Start());
        await site.Must("group", "new", "before");
        var file = Path.Combine(site.Service.Folder, "data/bandejo.db");
        using (var other = new SqliteConnection($"Data Source={file};Pooling=False"))
        {
            other.Open();
            using var transaction = other.BeginTransaction();
            var (status, answer) = await site.Admin.Send(HttpMethod.Post, "/api/v1/groups", """{"slug":"during","name":"During"}""");
            Assert.Equal(HttpStatusCode.ServiceUnavailable, status);
            Assert.Contains("nothing was changed", answer);
        }

        await MakeGroup(site, "after");
        var groups = await site.Must("group", "list", "-o", "csv");
        Assert.Matches(@"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ", await site.Must("journal", "--topic", "any", "-o", "csv"));
        Assert.Contains("before,", groups);
        Assert.Contains("after,", groups);
        Assert.DoesNotContain("during,", groups);
    }

    /// <summary>Makes a group once the service takes changes again: that it does shows that it has read its state anew.</summary>
    private static async Task MakeGroup(Site site, string slug)
    {
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(240));
        while ((await site.Admin.Send(HttpMethod.Post, "/api/v1/groups", $$"""{"slug":"{{slug}}","name":"G"}""")).Status != HttpStatusCode.Created)
        {
            Assert.False(limit.IsCancellationRequested, "The service takes no changes any more.");
        }
    }

    [Fact]
    public async Task While_the_state_is_read_anew_everyone_is_answered_although_more_ask_than_there_are_threads()
    {
        await using var site = new Site(new ServiceProcess());
        site.Process.Environment["DOTNET_ThreadPool_ForceMaxWorkerThreads"] = "4";
        await site.Begin();
        using var enough = new CancellationTokenSource();
        var asking = Enumerable.Range(0, 32).Select(_ => Task.Run(async () =>
        {
            var statuses = new HashSet<HttpStatusCode>();
            using var client = new HttpClient { BaseAddress = new Uri(site.Service.Address), Timeout = TimeSpan.FromSeconds(30) };
            client.DefaultRequestHeaders.Authorization = site.Admin.Http.DefaultRequestHeaders.Authorization;
            for (var i = 0; !enough.IsCancellationRequested; i++)
            {
                using var answer = await client.GetAsync(i % 5 == 0 ? "/metrics" : "/api/v1/groups");
                statuses.Add(answer.StatusCode);
            }

            return statuses;
        })).ToList();
        try
        {
            for (var i = 0; i < 2; i++)
            {
                using (var other = new SqliteConnection($"Data Source={Path.Combine(site.Service.Folder, "data/bandejo.db")};Pooling=False"))
                {
                    other.Open();
                    using var transaction = other.BeginTransaction();
                    Assert.Equal(
                        HttpStatusCode.ServiceUnavailable,
                        (await site.Admin.Send(HttpMethod.Post, "/api/v1/groups", """{"slug":"during","name":"During"}""")).Status);
                }

                await MakeGroup(site, $"after-{i}");
            }
        }
        finally
        {
            await enough.CancelAsync();
        }

        // Nobody ran into the time limit, and nobody was told anything but what there is, or that it is being read.
        var seen = (await Task.WhenAll(asking)).SelectMany(each => each).ToHashSet();
        Assert.Subset(new HashSet<HttpStatusCode> { HttpStatusCode.OK, HttpStatusCode.ServiceUnavailable }, seen);
        Assert.Contains(HttpStatusCode.OK, seen);
        Assert.DoesNotContain("during,", await site.Must("group", "list", "-o", "csv"));
    }

    [Fact]
    public async Task Whoever_only_asks_waits_for_a_service_that_reads_its_state()
    {
        await using var site = await Site.Start();
        using var door = new TcpListener(IPAddress.Loopback, 0);
        door.Start();
        var address = $"http://{door.LocalEndpoint}";

        // In place of a service that is just then reading: it refuses twice, and answers then.
        var answering = Task.Run(async () =>
        {
            var asked = new List<string>();
            foreach (var (status, body) in new[] { ("503 Not ready", "{}"), ("503 Not ready", "{}"), ("200 OK", "[]") })
            {
                using var client = await door.AcceptTcpClientAsync();
                using var reader = new StreamReader(client.GetStream());
                asked.Add(await reader.ReadLineAsync() ?? "");
                await client.GetStream()
                    .WriteAsync(Encoding.ASCII.GetBytes(
                        $"HTTP/1.1 {status}\r\nContent-Type: application/json\r\nContent-Length: {body.Length}\r\nConnection: close\r\n\r\n{body}"));
            }

            return asked;
        });
        var (code, _, errors) = await site.Run("group", "list", "--service", address);
        Assert.Equal(0, code);
        Assert.Contains("waiting for it", errors);
        Assert.Equal(3, (await answering).Count(line => line.StartsWith("GET /api/v1/groups", StringComparison.Ordinal)));
    }

    [Fact]
    public async Task Everything_that_was_acknowledged_is_there_after_a_kill()
    {
        await using var site = await Site.StartApart();
        var acknowledged = 0;
        var writing = Task.Run(async () =>
        {
            try
            {
                for (var i = 0; ; i++)
                {
                    var (status, _) = await site.Admin.Send(HttpMethod.Post, "/api/v1/groups", $$"""{"slug":"g{{i}}","name":"G"}""");
                    Assert.Equal(HttpStatusCode.Created, status);
                    Volatile.Write(ref acknowledged, i + 1);
                }
            }
            catch (HttpRequestException)
            {
                // The service is gone.
            }
        });
        await site.Admin.Until(() => Task.FromResult(Volatile.Read(ref acknowledged) > 50), "fifty groups were made");
        await site.Process.Kill();
        await writing;
        await site.Service.Start();
        var groups = await site.Admin.Get("/api/v1/groups", ContractJson.Default.IReadOnlyListGroupInfo);

        // All that were acknowledged, and perhaps the one whose answer was on its way.
        var made = groups.Count(group => group.Name == "G");
        Assert.InRange(made, acknowledged, acknowledged + 1);
        Assert.Equal(
            Enumerable.Range(0, made).Select(i => $"g{i}").Order(StringComparer.Ordinal),
            groups.Where(group => group.Name == "G").Select(group => group.Slug).Order(StringComparer.Ordinal));
    }

    [Fact]
    public async Task The_command_line_says_with_its_exit_code_how_it_went()
    {
        await using var site = await Site.Start();
        Assert.Equal(0, (await site.Run("group", "list")).Code);
        Assert.Equal(0, (await site.Run("--help")).Code);
        Assert.Equal(1, (await site.Run("package", "check", Path.Combine(Programs.Root(), "tests/Core/Cases"))).Code is 2 ? 1 : 0);
        var wrong = await site.Run("group", "lst");
        Assert.Equal(2, wrong.Code);
        Assert.Contains("--help", wrong.Errors);
        Assert.Equal(2, (await site.Run("deployment", "start", "x", "--to", "y", "--wave", "no colon")).Code);
        Assert.Equal(3, (await site.Run("group", "show", "nobody")).Code);
        var away = await site.Run("group", "list", "--service", "http://127.0.0.1:9");
        Assert.Equal(4, away.Code);
        Assert.Contains("cannot be reached", away.Errors);
        Assert.Equal("", away.Output);
        Assert.Equal(2, (await site.Run("group", "list", "--service", "nowhere")).Code);
        Assert.Equal(2, (await site.Run("group", "list", "--output", "xml")).Code);
    }

    [Fact]
    public async Task Errors_in_a_manifest_are_shown_under_the_text()
    {
        await using var site = await Site.Start();
        var folder = site.WriteFolder("foldline", "7.2.0", "true", requires: "memry >= 4 GiB");
        var (code, _, errors) = await site.Run("package", "check", folder);
        Assert.Equal(1, code);
        Assert.Contains("package.yaml:7:", errors);
        Assert.Contains("Did you mean 'memory'", errors);
        Assert.Contains("    requires: memry >= 4 GiB\n                  ^^^^^", errors.Replace("        requires", "    requires").Replace(
            "                      ^^^^^", "                  ^^^^^"));
        Assert.Equal(1, (await site.Run("package", "build", folder)).Code);
    }

    [Fact]
    public async Task A_package_folder_that_was_just_made_can_be_built()
    {
        await using var site = await Site.Start();
        var folder = Path.Combine(site.Service.Folder, "inkwell");
        await site.Must("package", "new", folder);
        Assert.Equal(2, (await site.Run("package", "new", folder)).Code);
        Assert.Contains("can be built", await site.Must("package", "check", folder));
        await site.Must("package", "build", folder);
    }

    [Fact]
    public async Task A_link_in_a_package_folder_is_refused()
    {
        await using var site = await Site.Start();
        var folder = site.WriteFolder("foldline", "7.2.0", "true");
        File.CreateSymbolicLink(Path.Combine(folder, "secret"), "/etc/shadow");
        var (code, _, errors) = await site.Run("package", "build", folder);
        Assert.Equal(2, code);
        Assert.Contains("secret is a link to /etc/shadow", errors);
    }

    [Theory]
    [InlineData("Did you mean '--listen'", "--lisen", "http://127.0.0.1:0")]
    [InlineData("needs a value", "--data")]
    [InlineData("not possible for 'check-in-seconds'", "--check-in-seconds", "0")]
    [InlineData("not possible for 'listen'", "--listen", "somewhere")]
    public async Task A_setting_that_is_not_known_or_not_possible_stops_the_start(string words, params string[] arguments)
    {
        using var process = Programs.Start(Programs.Service, arguments);
        var errors = await process.StandardError.ReadToEndAsync();
        await process.WaitForExitAsync();
        Assert.Equal(2, process.ExitCode);
        Assert.Contains(words, errors);
    }

    [Fact]
    public async Task A_service_that_cannot_listen_says_why_in_one_line()
    {
        await using var site = await Site.Start();
        var data = Directory.CreateTempSubdirectory("bandejo-second").FullName;
        try
        {
            await Told(site.Service.Address.ToString().TrimEnd('/'), "another program listens there");
            await Told("https://192.0.2.1:7999", "this machine has no such address");
        }
        finally
        {
            Directory.Delete(data, recursive: true);
        }

        async Task Told(string listen, string why)
        {
            using var process = Programs.Start(Programs.Service, ["--data", data, "--listen", listen]);
            var errors = await process.StandardError.ReadToEndAsync();
            await process.WaitForExitAsync();
            Assert.Equal(4, process.ExitCode);
            var line = Assert.Single(errors.Split('\n', StringSplitOptions.RemoveEmptyEntries), line => !line.Contains("\"@mt\":\"State read"));
            Assert.StartsWith($"The service cannot listen at {listen}: {why}", line);
        }
    }

    private static async Task<List<long>> Events(Site site, string lastId, int count)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, "/api/v1/events");
        request.Headers.Add("Last-Event-ID", lastId);
        using var response = await site.Admin.Http.SendAsync(request, HttpCompletionOption.ResponseHeadersRead);
        using var reader = new StreamReader(await response.Content.ReadAsStreamAsync());
        var numbers = new List<long>();
        while (numbers.Count < count)
        {
            var line = await reader.ReadLineAsync();
            if (line!.StartsWith("data:", StringComparison.Ordinal))
            {
                numbers.Add(JsonSerializer.Deserialize(line[5..], ContractJson.Default.EventInfo)!.Number);
            }
        }

        return numbers;
    }
}
