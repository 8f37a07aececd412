using Bandejo.Contract.Device;
using Bandejo.Core;
using Bandejo.Core.Fleet;
using Bandejo.Core.World;
using Bandejo.Identity;
using Bandejo.Server.Access;
using Bandejo.Server.Deployments;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Devices;

/// <summary>Enrols devices, and gives them their tokens.</summary>
internal sealed class Joining(FleetWorld world, SiteKeys keys, DeviceOptions options)
{
    private readonly Dictionary<string, DateTimeOffset> _seenAssertions = new(StringComparer.Ordinal);

    /// <summary>Enrols a device. The same key with the same code again gets the same answer, so that a lost answer costs nothing.</summary>
    public async Task<Outcome<JoinAnswer>> Join(JoinRequest request)
    {
        if (request.Protocol != DeviceProtocol.Version)
        {
            return new Failure(ErrorKind.Invalid, $"This service speaks version {DeviceProtocol.Version} of the device protocol, the agent version {request.Protocol}.");
        }

        var key = SiteKeys.ReadKey(request.Key.X, request.Key.Y);
        if (!key.Ok)
        {
            return key.Failure!;
        }

        // Whoever sends all of a code, with the name of the authority behind it, means the same.
        var hash = Authentication.HashOf((JoinWords.Read(request.Code)?.Code ?? request.Code.Trim()).ToUpperInvariant());
        return await world.Change(null, change => Join(change, request, key.Value, hash));
    }

    /// <summary>A short-lived token for an assertion signed by the device's key. Each assertion is good once.</summary>
    public async Task<Outcome<DeviceTokenAnswer>> Token(DeviceTokenRequest request)
    {
        if (SiteKeys.Read(request.Assertion)?.Issuer is not { } id)
        {
            return new Failure(ErrorKind.Unauthenticated, "The assertion cannot be read.");
        }

        if (world.Read(each => each.Devices.GetValueOrDefault(id)?.Record.Key) is not { } key)
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

    private Outcome<JoinAnswer> Join(WorldChange change, JoinRequest request, KeyRecord key, string hash)
    {
        var each = change.World;
        if (each.DevicesByKey.TryGetValue(key.KeyId, out var known))
        {
            return known.Record.JoinCode == hash
                ? Answer(known)
                : new Failure(ErrorKind.Conflict, $"This device's key is enrolled already, as {known.Name}. Remove the device first, or give the agent a new folder.");
        }

        if (!each.JoinCodes.TryGetValue(hash, out var code))
        {
            return new Failure(ErrorKind.Gone, "The join code is not known; it may be misspelt, used up or taken back. Ask for a new one.");
        }

        if (code.Expires <= change.Now || code.UsesLeft <= 0)
        {
            return new Failure(ErrorKind.Gone, code.UsesLeft <= 0 ? "The join code is used up. Ask for a new one." : $"The join code expired at {code.Expires:yyyy-MM-dd HH:mm} UTC. Ask for a new one.");
        }

        var wanted = new string([.. request.Name.Trim().Where(c => char.IsAsciiLetterOrDigit(c) || c is '-' or '_' or '.').Take(60)]).Trim('.', '-');
        wanted = wanted.Length == 0 ? "device" : wanted;
        var name = wanted;
        for (var i = 2; each.DevicesByName.ContainsKey(name); i++)
        {
            name = $"{wanted}-{i}";
        }

        var stored = new DeviceRecord(Guid.CreateVersion7(change.Now).ToString("N"), name, key, hash, change.Now, null, 0, "", FactSheet.Empty, code.Group is not null);
        var device = each.Enrol(stored);
        CheckIns.TakeFacts(change, device, "", request.Facts);
        change.Keep(new PutDevice(device.Record));

        code = code with { UsesLeft = code.UsesLeft - 1 };
        each.JoinCodes[hash] = code;
        change.Keep(new PutJoinCode(code));
        if (code.Group is { } slug && each.Groups.TryGetValue(slug, out var group))
        {
            group.In[device.Row] = true;
            change.Keep(new PutMember(slug, device.Id));
        }

        change.Event("device", "joined", $"{name} joined{(code.Group is null ? " and is unsorted" : $" into '{code.Group}'")} with a code of {code.MadeBy}.", null, device.Id, null, name);
        Engine.WeighDevice(change, device);
        return Answer(device);
    }

    private JoinAnswer Answer(DeviceEntry device) => new(device.Id, device.Name, [keys.SealKey], options.CheckInSeconds);
}
