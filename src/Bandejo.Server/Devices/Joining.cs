using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Bandejo.Identity;
using Bandejo.Server.Access;
using Bandejo.Server.Deployments;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>Enrols devices, and gives them their tokens.</summary>
internal sealed class Joining(WorldHost world, SiteKeys keys, DeviceOptions options)
{
    private readonly Dictionary<string, DateTimeOffset> _seenAssertions = new(StringComparer.Ordinal);

    /// <summary>Enrols a device. The same key with the same code again gets the same answer, so that a lost answer costs nothing.</summary>
    public async Task<Outcome<JoinAnswer>> Join(JoinRequest request)
    {
        if (request.Protocol != DeviceProtocol.Version)
        {
            return new Failure(
                ErrorKind.Invalid, $"This service speaks version {DeviceProtocol.Version} of the device protocol, the agent version {request.Protocol}.");
        }

        var key = SiteKeys.ReadKey(request.Key.X, request.Key.Y);
        if (!key.Ok)
        {
            return key.Failure!;
        }

        // Whoever sends all of a code, with the name of the authority behind it, means the same.
        var hash = Authentication.HashOf((JoinWords.Read(request.Code)?.Code ?? request.Code.Trim()).ToUpperInvariant());
        var joined = await world.Change(null, decision => Enrolment.Join(decision, request.Name, key.Value, hash, DeviceForms.Told(request.Facts)));
        return joined.Ok ? new JoinAnswer(joined.Value.Id, joined.Value.Name, [keys.SealKey], options.CheckInSeconds) : joined.Failure!;
    }

    /// <summary>A short-lived token for an assertion signed by the device's key. Each assertion is good once.</summary>
    public async Task<Outcome<DeviceTokenAnswer>> Token(DeviceTokenRequest request)
    {
        if (SiteKeys.Read(request.Assertion)?.Issuer is not { } id)
        {
            return new Failure(ErrorKind.Unauthenticated, "The assertion cannot be read.");
        }

        if (world.Peek(each => each.Devices.Get(id)?.Record.Key) is not { } key)
        {
            return new Failure(ErrorKind.Gone, "This device is not enrolled here. Join with a code.");
        }

        var assertion = await keys.Assertion(request.Assertion, key, id);
        if (!assertion.Ok)
        {
            return assertion.Failure!;
        }

        lock (_seenAssertions)
        {
            foreach (var old in _seenAssertions.Where(seen => seen.Value < world.Now).Select(seen => seen.Key).ToList())
            {
                _seenAssertions.Remove(old);
            }

            if (!_seenAssertions.TryAdd($"{id}/{assertion.Value}", world.Now.AddSeconds(DeviceProtocol.MaxAssertionAge * 2)))
            {
                return new Failure(ErrorKind.Unauthenticated, "This assertion was used already; sign a new one.");
            }
        }

        return new DeviceTokenAnswer(keys.DeviceToken(id), (int)keys.DeviceTokenLife.TotalSeconds);
    }
}
