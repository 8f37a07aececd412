using System.Diagnostics;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>A client in another language, made from the description of the API by a common generator, does the main things against a service that runs.</summary>
public sealed class ApiClientTests
{
    [Fact]
    public async Task A_client_that_is_made_from_the_description_works_and_the_commands_of_the_console_start_what_it_would()
    {
        await using var site = await Site.Start();
        await site.Package("foldline", "7.2.0", "exit 0");
        for (var i = 1; i <= 3; i++)
        {
            using var device = new DeviceClient(site.Service.Address);
            var code = await site.Admin.Post(
                "/api/v1/join-codes", new JoinCodeRequest(Site.Enrolled), ContractJson.Default.JoinCodeRequest, ContractJson.Default.JoinCodeInfo);
            await device.Join(code.Code!, $"DESK-{i}");
        }

        await site.Must("group", "new", "pilots");
        var console = Path.Combine(Programs.Root(), "console");
        using var process = Process.Start(new ProcessStartInfo(Path.Combine(console, "node_modules/.bin/vitest"), ["run", "--config", "live/vitest.config.ts"])
        {
            WorkingDirectory = console, RedirectStandardOutput = true, RedirectStandardError = true,
            Environment =
            {
                ["BANDEJO_SERVICE"] = site.Service.Address, ["BANDEJO_TOKEN"] = site.Admin.Http.DefaultRequestHeaders.Authorization!.Parameter,
                ["BANDEJO_BIN"] = Path.GetDirectoryName(Programs.Cli),
            },
        })!;
        var (output, errors) = (process.StandardOutput.ReadToEndAsync(), process.StandardError.ReadToEndAsync());
        await process.WaitForExitAsync();
        Assert.True(process.ExitCode == 0, await output + await errors);
    }
}
