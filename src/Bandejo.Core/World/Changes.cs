using Bandejo.Core.Deployments;

namespace Bandejo.Core.World;

/// <summary>One change to what is kept.</summary>
public abstract record Change;

public sealed record PutSetting(string Name, string Value) : Change;

public sealed record PutAccount(AccountRecord Account) : Change;

public sealed record PutToken(TokenRecord Token) : Change;

public sealed record DeleteToken(string Id) : Change;

public sealed record PutJoinCode(JoinCodeRecord Code) : Change;

public sealed record DeleteJoinCode(string Id) : Change;

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

public sealed record PutWavePlan(WavePlanRecord Plan) : Change;

public sealed record DeleteWavePlan(string Slug) : Change;

public sealed record PutHandling(HandlingRecord Handling) : Change;

public sealed record DeleteHandling(string Slug) : Change;

public sealed record PutDeviceTrial(DeviceTrialRecord Trial) : Change;

public sealed record PutPackage(PackageRecord Package) : Change;

public sealed record PutDeployment(DeploymentRecord Deployment) : Change;

public sealed record PutTarget(string Deployment, Target Target) : Change;

public sealed record PutAttempt(AttemptRecord Attempt) : Change;

public sealed record AddEvent(EventRecord Event) : Change;
