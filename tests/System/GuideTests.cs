using System.Diagnostics;
using System.Net;
using System.Net.Sockets;
using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>
/// What README and guide tell people to type does what they say, from the top of each page to its end, on the demo: of the README each time, of all pages where
/// it is asked for (<c>make thorough</c>). That their commands have the words that they use is held each time (<see cref="MannersTests"/>).
/// </summary>
public sealed class GuideTests
{
    [Fact]
    public async Task Every_command_of_the_pages_works_as_it_stands()
    {
        var root = Programs.Root();
        var folder = Directory.CreateTempSubdirectory("bandejo-guide").FullName;
        try
        {
            // In the order in which they are to be read.
            var guide = Path.Combine(root, "docs/guide");
            string[] first = ["first-package.md", "packages.md", "groups.md", "rollouts.md", "devices.md"];
            var pages = !Thorough.IsAsked ? [Path.Combine(root, "README.md")] : first.Concat(Directory.GetFiles(guide, "*.md").Select(page => Path.GetFileName(page)!).Except(first).Order(StringComparer.Ordinal))
                .Select(page => Path.Combine(guide, page)).Prepend(Path.Combine(root, "README.md")).ToList();
            using var free = new TcpListener(IPAddress.Loopback, 0);
            free.Start();
            var port = ((IPEndPoint)free.LocalEndpoint).Port;
            free.Stop();
            using var process = Process.Start(new ProcessStartInfo("bash", [Path.Combine(root, "tests/System/guide.sh"), folder, $"{port}", .. pages])
            {
                RedirectStandardOutput = true, RedirectStandardError = true,
            })!;
            var (output, errors) = (process.StandardOutput.ReadToEndAsync(), process.StandardError.ReadToEndAsync());
            await process.WaitForExitAsync();
            Assert.True(process.ExitCode == 0, await output + await errors);
            Assert.Contains("commands of", await output);
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }
}
