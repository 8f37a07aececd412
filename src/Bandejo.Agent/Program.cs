using System.CommandLine;
using Bandejo.Agent;
using Bandejo.Clock;
using Bandejo.Device;

var root = new Option<string>("--root")
{
    Description = "The folder that is the machine; several agents run side by side with one each", DefaultValueFactory = _ => "/",
};
var state = new Option<string?>("--state") { Description = "Where the agent keeps its own files [ROOT/var/lib/bandejo-agent]" };
var clock = new Option<string?>("--demo-clock") { Description = "A demo clock's file to go by, for demonstrations and tests [the real time]" };
var service = new Option<string>("--service") { Description = "The service's address, such as https://bandejo.example:7410", Required = true };
var code = new Option<string>("--code") { Description = "The join code", Required = true };
var name = new Option<string?>("--name") { Description = "The name it would like [the host name]" };

var plain = new Option<bool>(
    "--without-tls")
    { Description = "Accepts a service on another machine without TLS: whoever is on the way, or answers in its place, then commands this machine as root" };
var join = new Command("join", "Enrols this machine with a join code") { service, code, name, plain };
join.SetAction((parsed, cancellation) => Guarded(() => Commands.Join(
    Home.Of(parsed.GetValue(root)!, parsed.GetValue(state)), parsed.GetValue(service)!, parsed.GetValue(code)!, parsed.GetValue(name), parsed.GetValue(plain),
    TimeOf(parsed), cancellation)));
var identity = new Argument<string>("identity") { Description = "The service's identity, as 'bandejo identity show' says it" };
var accept = new Command("accept", "Believes the service under another identity, after it was given one by hand") { identity };
accept.SetAction((parsed, cancellation) => Guarded(() => Commands.Accept(
    Home.Of(parsed.GetValue(root)!, parsed.GetValue(state)), parsed.GetValue(identity)!, cancellation)));
var unguarded = new Option<bool>("--unguarded") { Description = "With --root: what is installed may write outside that folder too" };
var run = new Command("run", "Checks in and carries out orders until it is ended") { unguarded };
run.SetAction((parsed, cancellation) => Guarded(() => Commands.Run(
    Home.Of(parsed.GetValue(root)!, parsed.GetValue(state)), parsed.GetValue(unguarded), TimeOf(parsed), cancellation)));
var app = new Argument<string>("app") { Description = "The app's short name, such as foldline" };
var text = new Argument<string>("text") { Description = "What broke, in your own words" };
var take = new Command("take", "Takes an app from the shelf") { app };
take.SetAction((parsed, _) => Guarded(() => Task.FromResult(Commands.Say(
    Home.Of(parsed.GetValue(root)!, parsed.GetValue(state)), "take", parsed.GetValue(app)!, "", TimeOf(parsed)))));
var report = new Command("report", "Reports that something broke after an app was changed") { app, text };
report.SetAction((parsed, _) => Guarded(() => Task.FromResult(Commands.Say(
    Home.Of(parsed.GetValue(root)!, parsed.GetValue(state)), "harm", parsed.GetValue(app)!, parsed.GetValue(text)!, TimeOf(parsed)))));
var show = new Command("show", "Shows who this machine is and what it knows");
show.SetAction((parsed, _) => Guarded(() => Task.FromResult(Commands.Show(Home.Of(parsed.GetValue(root)!, parsed.GetValue(state))))));
var plan = new Argument<string>("plan") { Description = "What to try, as the command line writes it" };
var inside = new Option<bool>("--inside") { Description = "Runs in the sandbox itself", Hidden = true };
var trial = new Command("trial", "Tries a package in a clean sandbox of this machine; people call it through bandejo package trial") { plan, inside };
trial.SetAction(
    (parsed, cancellation) =>
        Guarded(() => parsed.GetValue(inside) ? TrialInside.Run(parsed.GetValue(plan)!, TimeProvider.System, cancellation) : TrialSandbox.Run(
            parsed.GetValue(plan)!, cancellation)));

var capture = new Command(
    "capture", "Captures what a command does on a clean root of this machine; people call it through bandejo package capture") { plan, inside };
capture.SetAction(
    (parsed, cancellation) =>
        Guarded(() => parsed.GetValue(inside) ? CaptureInside.Run(parsed.GetValue(plan)!, TimeProvider.System, cancellation) : CaptureSandbox.Run(
            parsed.GetValue(plan)!, cancellation)));

var folder = new Argument<string>("folder") { Description = "A folder for what is noted and captured" };
var before = new Command("before", "Notes what is on this machine, before something is installed by hand to be captured") { folder };
before.SetAction((parsed, _) => Guarded(() => Task.FromResult(CaptureHere.Begin(
    Home.Of(parsed.GetValue(root)!, parsed.GetValue(state)), parsed.GetValue(folder)!))));
var after = new Command("after", "Brings what has come to this machine since; bandejo package capture --from makes a package of it") { folder };
after.SetAction((parsed, _) => Guarded(() => Task.FromResult(CaptureHere.End(
    Home.Of(parsed.GetValue(root)!, parsed.GetValue(state)), parsed.GetValue(folder)!))));

root.Recursive = true;
state.Recursive = true;
clock.Recursive = true;
var program = new RootCommand(
    "bandejo-agent: keeps this machine as its deployments ask, and proves it") { join, run, accept, take, report, show, before, after, trial, capture };
program.Options.Add(root);
program.Options.Add(state);
program.Options.Add(clock);
return await program.Parse(args).InvokeAsync();

TimeProvider TimeOf(ParseResult parsed) => parsed.GetValue(clock) is { } file ? DemoClock.Follow(file) : TimeProvider.System;

static async Task<int> Guarded(Func<Task<int>> action)
{
    try
    {
        return await action();
    }
    catch (OperationCanceledException)
    {
        return 0;
    }
    catch (LinkException error)
    {
        Console.Error.WriteLine(error.Message);
        return error.Status == 0 ? 4 : 3;
    }
    catch (Exception error) when (error is IOException or UnauthorizedAccessException or InvalidDataException)
    {
        Console.Error.WriteLine(error.Message);
        return 2;
    }
}
