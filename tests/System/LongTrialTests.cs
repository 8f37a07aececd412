using Bandejo.Kit;
using Xunit;

namespace Bandejo.System.Tests;

/// <summary>A trial that takes minutes.</summary>
public sealed class LongTrialTests
{
    [Fact]
    public async Task A_trial_whose_installer_takes_its_time_is_tried_to_its_end()
    {
        // As long as real installers take, and far longer than a thread of the pool stays with nothing to do: a sandbox that was tied to one would be ended by
        // then.
        await using var site = await Site.Start();
        var folder = site.WriteFolder("quill", "1.0", "sleep 90\nmkdir -p \"$T\" && echo \"$BANDEJO_VERSION\" > \"$T/VERSION\"", limit: "5m");
        var (code, output, errors) = await site.Run("package", "trial", folder);
        Assert.True(code == 0, output + errors);
    }
}
