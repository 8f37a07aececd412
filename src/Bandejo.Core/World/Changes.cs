using Bandejo.Core.Deployments;

namespace Bandejo.Core.World;

/// <summary>One change of the world. The world is what its changes make of it (<see cref="FleetWorld.Apply(Change)"/>).</summary>
public abstract record Change
{
    /// <summary>Whether it is to be kept; what a device says at every check-in is not, each time.</summary>
    public virtual bool IsKept => true;
}

/// <summary>A device checked in, with nothing to keep: the last time that was kept is not long ago.</summary>
public sealed record NoteHeard(string Device, DateTimeOffset At, long Sequence) : Change
{
    public override bool IsKept => false;
}

/// <summary>What a device said last is another.</summary>
public sealed record NoteMemory(string Device, DeviceMemory Memory) : Change
{
    public override bool IsKept => false;
}

public sealed record PutSetting(string Name, string Value) : Change;

public sealed record PutAccount(AccountRecord Account) : Change;

public sealed record PutToken(TokenRecord Token) : Change;

/// <param name="Hash">The hash by which it is found.</param>
public sealed record DeleteToken(string Id, string Hash) : Change;

public sealed record PutJoinCode(JoinCodeRecord Code) : Change;

/// <param name="Hash">The hash by which it is found.</param>
public sealed record DeleteJoinCode(string Id, string Hash) : Change;

/// <summary>A change was made that was asked for with a key, or has its answer now.</summary>
public sealed record PutOnce(OnceRecord Once) : Change;

public sealed record DeleteOnce(string Account, string Key) : Change;

/// <summary>A new word of the book; it must be kept before or with the first sheet that uses it.</summary>
public sealed record AddWord(int Number, string Text) : Change;

/// <summary>A number of the book that means nothing any more; it may come again with another word.</summary>
public sealed record DeleteWord(int Number) : Change;

public sealed record PutDevice(DeviceRecord Device) : Change;

/// <summary>A device was heard, and nothing else changed.</summary>
public sealed record PutHeard(string Device, DateTimeOffset At, long Sequence) : Change;

/// <summary>A word of a device's user was taken.</summary>
public sealed record PutUserWord(string Device, string Word) : Change;

public sealed record DeleteDevice(string Id) : Change;

public sealed record PutGroup(GroupRecord Group) : Change;

public sealed record DeleteGroup(string Slug) : Change;

public sealed record PutMember(string Group, string Device) : Change;

public sealed record DeleteMember(string Group, string Device) : Change;

/// <summary>
/// Devices came into a rule group, or left it. Who is in it follows from its rule and what devices say; that they came and went is kept, for who was in it
/// when is asked later.
/// </summary>
public sealed record PutMoves(string Group, IReadOnlyList<string> Into, IReadOnlyList<string> OutOf) : Change;

/// <summary>
/// What was before a moment is kept no longer. It goes in slices, so that nobody waits long behind one; what is needed to know how it was from that moment on
/// stays.
/// </summary>
/// <param name="What">Which of it: the store names it.</param>
/// <param name="Record">The last record of the log before the moment.</param>
/// <param name="Until">The moment.</param>
/// <param name="From">The first of the slice.</param>
/// <param name="To">The last of it.</param>
public sealed record ForgetPast(string What, long Record, DateTimeOffset Until, long From, long To) : Change;

public sealed record PutWavePlan(WavePlanRecord Plan) : Change;

public sealed record DeleteWavePlan(string Slug) : Change;

public sealed record PutCalendar(CalendarRecord Calendar) : Change;

public sealed record DeleteCalendar(string Slug) : Change;

public sealed record PutHandling(HandlingRecord Handling) : Change;

public sealed record DeleteHandling(string Slug) : Change;

public sealed record PutDeviceTrial(DeviceTrialRecord Trial) : Change;

public sealed record PutPackage(PackageRecord Package) : Change;

public sealed record PutDeployment(DeploymentRecord Deployment) : Change;

public sealed record PutTarget(string Deployment, Target Target) : Change;

/// <summary>A deployment comes in as it was kept, with all its targets.</summary>
public sealed record TakeDeployment(DeploymentEntry Deployment) : Change
{
    public override bool IsKept => false;
}

/// <summary>The targets of a deployment that were only kept come into memory again.</summary>
public sealed record BringTargets(string Deployment, TargetBook Targets) : Change
{
    public override bool IsKept => false;
}

/// <summary>The targets of a deployment are those that were kept ahead of its beginning, under a number that the store gave.</summary>
public sealed record PutTargetsAhead(string Deployment, long Ahead) : Change;

public sealed record PutAttempt(AttemptRecord Attempt) : Change;

public sealed record AddEvent(EventRecord Event) : Change;
