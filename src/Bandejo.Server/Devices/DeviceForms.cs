using System.Text.Json;
using Bandejo.Contract;
using Bandejo.Contract.Device;
using Bandejo.Core.Catalogue;
using Bandejo.Core.CheckIns;
using Bandejo.Core.Rollouts;
using Bandejo.Core.World;

namespace Bandejo.Server.Devices;

/// <summary>What devices tell and are answered, between the forms in which it travels and those in which it is decided.</summary>
internal static class DeviceForms
{
    /// <summary>What a device tells at a check-in.</summary>
    /// <param name="trialOf">What the end of a trial tells; null where a report is none.</param>
    public static CheckInTold Told(CheckInRequest request, Func<AttemptReport, TrialTold?> trialOf) => new()
    {
        Sequence = request.Sequence,
        FactsDigest = request.FactsDigest,
        OrdersTag = request.OrdersTag,
        Facts = request.Facts is { } facts ? Told(facts) : null,
        Attempts = request.Attempts.Count == 0 ? [] : [.. request.Attempts.Select(attempt => Told(attempt, trialOf))],
        Proofs = request.Proofs.Count == 0 ? [] : [.. request.Proofs.Select(proof => new ProofTold(proof.Deployment, proof.Answer, proof.Why))],
        Waits = request.Waits is { Count: > 0 } waits ? [.. waits.Select(wait => new WaitsFor(wait.Deployment, wait.Why, wait.Until))] : [],
        Fetched = request.Fetched is { Count: > 0 } fetched ? [.. fetched] : [],
        Skills = Skills(request.Can ?? []),
        Said = request.Said is { Count: > 0 } said ? [.. said.Select(word => new UserTold(word.Id, word.Kind, word.App, word.Text))] : [],
    };

    /// <summary>What an agent can do, by its words; those that are not known here are passed over.</summary>
    private static AgentSkills Skills(IReadOnlyList<string> words)
    {
        var skills = AgentSkills.None;
        foreach (var word in words)
        {
            skills |= word switch
            {
                DeviceProtocol.CanHoldCalendars => AgentSkills.Calendars,
                DeviceProtocol.CanFetchAhead => AgentSkills.Fetching,
                DeviceProtocol.CanGiveNotice => AgentSkills.Notice,
                _ => AgentSkills.None,
            };
        }

        return skills;
    }

    /// <summary>What a device says of itself.</summary>
    public static FactsTold Told(FactReport report) =>
        new(report.Facts.Select(fact => (fact.Key, fact.Value)), report.Programs?.Select(program => (program.Name, program.Version, program.Source)));

    /// <summary>The answer to a check-in, without word of whom to trust. Notes what the device was told.</summary>
    public static CheckInAnswer Answer(
        FleetWorld world, DeviceEntry device, CheckInRequest request, IReadOnlyList<string> acknowledged, int nextSeconds, CalendarSeals seals)
    {
        device.Presence.TrustTag = request.TrustTag;
        var wantsFacts = request.FactsDigest != device.Record.FactsDigest;
        var leftOut = request.Facts is not null && device.Memory.LeftOut.Count > 0 ? device.Memory.LeftOut : null;
        if (world.OrdersTag(device) == request.OrdersTag && CalendarSeals.IsOfThisWeek(request.CalendarsTag, world.Now))
        {
            return new CheckInAnswer(acknowledged, wantsFacts, null, request.OrdersTag, nextSeconds, null, null, leftOut);
        }

        IReadOnlyList<DeviceOrder> orders = [.. DeviceOrder.Of(world, device)];
        var (calendars, held) = (CalendarSeals.Tag(world, device, orders), CalendarSeals.Read(request.CalendarsTag));
        var (told, tag) = Orders.Of(world, device, orders, calendars);
        world.NoteOrdersTag(device, tag);
        var isNew = tag != request.OrdersTag;
        return new CheckInAnswer(
            acknowledged, wantsFacts, isNew ? told : null, tag, nextSeconds,
            isNew ? world.SiteSettings.GetValueOrDefault(PackageLives.WithdrawnList) : null, null, leftOut,
            calendars == held.Tag ? null : seals.Signed(world, device, orders, calendars, held.At),
            isNew && Waking.Of(device, world.Now) is { Count: > 0 } wake ? wake : null);
    }

    private static AttemptTold Told(AttemptReport report, Func<AttemptReport, TrialTold?> trialOf) => new(
        report.Id, report.Deployment, report.Kind, report.HasEnded, report.StartedAt, report.EndedAt, report.Outcome, report.Phase, report.ExitCode,
        report.Message, report.HasLog, report.Before, report.BeforePackage,
        trialOf(report));
}
