using Bandejo.Core.Deployments;
using Xunit;

namespace Bandejo.Core.Tests;

/// <summary>Which wave takes which device.</summary>
public sealed class WavePickTests
{
    [Fact]
    public void Picks_do_not_depend_on_the_order_of_devices_and_take_everybody_once()
    {
        var devices = Enumerable.Range(0, 100).Select(i => $"device-{i}").ToList();
        var picks = new[] { "group pilots", "10 devices", "25 %", "everyone else" }.Select(text => Pick.Parse(text).Value).ToList();
        bool IsPilot(string group, string device) => device is "device-7" or "device-8";
        var one = WavePicks.Assign(devices, picks, IsPilot, "D1");
        var two = WavePicks.Assign([.. devices.AsEnumerable().Reverse()], picks, IsPilot, "D1");
        Assert.Equal(one, two.AsEnumerable().Reverse());
        Assert.Equal([2, 10, 22, 66], one.GroupBy(wave => wave).OrderBy(group => group.Key).Select(group => group.Count()));
        Assert.NotEqual(one.Select(wave => wave == 1), WavePicks.Assign(devices, picks, IsPilot, "D2").Select(wave => wave == 1));
    }

    [Fact]
    public void A_device_that_comes_later_joins_the_first_wave_that_fits()
    {
        var picks = new[] { "group pilots", "10 devices", "everyone else" }.Select(text => Pick.Parse(text).Value).ToList();
        Assert.Equal(0, WavePicks.Join("new", picks, (_, _) => true, "D1"));
        Assert.Equal(2, WavePicks.Join("new", picks, (_, _) => false, "D1"));
        Assert.Equal(-1, WavePicks.Join("new", [.. picks.Take(2)], (_, _) => false, "D1"));
    }
}
