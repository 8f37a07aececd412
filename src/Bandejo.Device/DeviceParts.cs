using Bandejo.Contract.Device;
using Bandejo.Device.Trials;

namespace Bandejo.Device;

/// <summary>Everything the engine reaches the device and the service through.</summary>
/// <param name="Says">Hears one line for people about what the device does.</param>
public sealed record DeviceParts(
    IMachineFiles Files, IMachineProcesses Processes, IMachineSettings Settings, IMachineFacts Facts, IMachineUser User, IMachineCompanions Companions,
    IMachinePower Power, IMachineNetwork Network,
    Func<ITrialGround> Ground, IServiceLink Link, IServiceTrust Trust, IContentCache Cache, IDeviceJournal Journal, TimeProvider Time, Action<string> Says)
{
    /// <summary>The device's own clocks: how far they are ahead of UTC.</summary>
    public Core.Calendars.OffsetAt Clocks { get; init; } = at => TimeZoneInfo.Local.GetUtcOffset(at);

    /// <summary>Gives an attempt that begins at a moment an identity that no other has.</summary>
    public Func<DateTimeOffset, string> NewId { get; init; } = now => Guid.CreateVersion7(now).ToString("N");
}

/// <summary>Who the device is, as it learnt when it joined.</summary>
public sealed record DeviceIdentity(string DeviceId, string Name, IReadOnlyList<PublicKeyInfo> TrustedKeys, int CheckInSeconds);
