using Bandejo.Core.World;
using Bandejo.Store.Databases;
using Bandejo.Store.Forms;

namespace Bandejo.Store.Past;

/// <summary>Keeps what was, so that any past moment can be read. What targets were, <see cref="TargetPages"/> tells it.</summary>
/// <param name="numberOf">The number of a device.</param>
internal sealed class PastWriter(Statements statements, Func<string, long> numberOf)
{
    private readonly PastDevices _devices = new(statements);
    private readonly PastMemberships _members = new(statements);
    private readonly AuditChain _audit = new(statements);

    /// <summary>Takes a change in, before it is written into its table.</summary>
    public void Take(LogMoment moment, Change change)
    {
        switch (change)
        {
            case PutDevice(var device):
                _devices.Changed(numberOf(device.Id), device);
                break;
            case DeleteDevice(var id):
                _devices.Removed(moment, numberOf(id), id);
                break;
            case AddWord(var number, _):
                _devices.ForgetWord(number);
                break;
            case DeleteWord(var number):
                _devices.ForgetWord(number);
                break;
            case PutMember(var group, var device):
                _members.Moved(group, numberOf(device), isIn: true);
                break;
            case DeleteMember(var group, var device):
                _members.Moved(group, numberOf(device), isIn: false);
                break;
            case PutMoves(var group, var into, var outOf):
                Move(group, into, isIn: true);
                Move(group, outOf, isIn: false);
                break;
            case PutGroup(var group):
                Document(moment, PastKinds.Group, group.Slug, group);
                break;
            case DeleteGroup(var slug):
                Gone(moment, PastKinds.Group, slug);
                _members.Emptied(slug);
                break;
            case PutWavePlan(var plan):
                Document(moment, PastKinds.WavePlan, plan.Slug, plan);
                break;
            case DeleteWavePlan(var slug):
                Gone(moment, PastKinds.WavePlan, slug);
                break;
            case PutCalendar(var calendar):
                Document(moment, PastKinds.Calendar, calendar.Slug, calendar);
                break;
            case DeleteCalendar(var slug):
                Gone(moment, PastKinds.Calendar, slug);
                break;
            case PutHandling(var handling):
                Document(moment, PastKinds.Handling, handling.Slug, handling);
                break;
            case DeleteHandling(var slug):
                Gone(moment, PastKinds.Handling, slug);
                break;
            case PutPackage(var package):
                Document(moment, PastKinds.Package, package.Digest, package);
                break;
            case PutDeployment(var deployment):
                Document(moment, PastKinds.Deployment, deployment.Id, deployment.State);
                break;
            case AddEvent({ Topic: AuditChain.Topic } entry):
                _audit.Add(entry);
                break;
        }
    }

    /// <summary>Writes what was put off until all of a record had been written.</summary>
    public void Flush(LogMoment moment)
    {
        _devices.Flush(moment);
        _members.Flush(moment);
        _audit.Flush();
    }

    private void Move(string group, IReadOnlyList<string> devices, bool isIn)
    {
        foreach (var device in devices)
        {
            _members.Moved(group, numberOf(device), isIn);
        }
    }

    private void Document<T>(LogMoment moment, string kind, string id, T data) => Keep(moment, kind, id, new Utf8Text(KeptForms.Write(data)));

    private void Gone(LogMoment moment, string kind, string id) => Keep(moment, kind, id, null);

    private void Keep(LogMoment moment, string kind, string id, Utf8Text? data) => statements.Run(
        "INSERT INTO document_past VALUES ($1, $2, $3, $4, $5) ON CONFLICT (kind, id, number) DO UPDATE SET data = excluded.data", kind, id, moment.Number,
        moment.At.UtcTicks, data);
}

/// <summary>What documents are kept of.</summary>
internal static class PastKinds
{
    public const string Group = "group";
    public const string WavePlan = "wave-plan";
    public const string Calendar = "calendar";
    public const string Handling = "handling";
    public const string Package = "package";
    public const string Deployment = "deployment";
}
