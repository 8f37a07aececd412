using System.ComponentModel;
using System.Runtime.InteropServices;

namespace Bandejo.Agent;

/// <summary>One service of this machine, as the service manager of Windows has it (advapi32.dll).</summary>
internal sealed partial class ServiceManager(string name)
{
    private const uint AllAccess = 0xF003F;
    private const uint ServiceAllAccess = 0xF01FF;

    /// <summary>SC_MANAGER_CONNECT, SERVICE_QUERY_STATUS.</summary>
    private const uint Connect = 1;

    private const uint QueryStatus = 4;
    private const uint OwnProcess = 0x10;
    private const uint StartsBySystem = 2;
    private const uint NormalErrors = 1;
    private const uint ControlStop = 1;
    private const uint ActionsAfterFailure = 2;
    private const uint Description = 1;
    private const int NotThere = 1060;
    private const int RunsAlready = 1056;
    private const int IsDown = 1062;
    private const int IsLocked = 1055;
    private const int InvalidHandle = 6;

    /// <summary>SERVICE_STOPPED, SERVICE_RUNNING.</summary>
    private const uint Stopped = 1;

    private const uint Running = 4;

    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(60);
    private static readonly TimeSpan Pace = TimeSpan.FromMilliseconds(100);

    /// <summary>Whether it is registered.</summary>
    public bool IsThere => With(service => service != 0);

    /// <summary>Whether it runs; false where it is not registered.</summary>
    /// <exception cref="IOException">The service manager does not say.</exception>
    public bool IsRunning => With(
        (_, service) => service != 0 && (QueryServiceStatus(service, out var now) ? now.State == Running : throw Refused("asked")), Connect, QueryStatus);

    /// <summary>
    /// Registers it where it is not there yet, to be started with the system, and to be started again should it be ended: after five seconds, and then after a
    /// minute each. Starts it, and returns once it runs.
    /// </summary>
    /// <param name="command">What it runs.</param>
    /// <returns>Why it is not started again after it was ended; null where it is, or was registered before.</returns>
    /// <exception cref="IOException">It cannot be registered, or does not run.</exception>
    public async Task<string?> Start(string title, string about, string command)
    {
        var why = With((manager, there) => there == 0 ? Create(manager, title, about, command) : null);
        using (var timer = new PeriodicTimer(Pace))
        {
            // While the system starts its services nothing else is started.
            for (var waited = TimeSpan.Zero; !With(service => IsStarted(service, waited > Patience)); waited += Pace)
            {
                await timer.WaitForNextTickAsync();
            }
        }

        await Becomes(Running, "run");
        return why;
    }

    /// <summary>Stops it, and returns once it has stopped.</summary>
    /// <exception cref="IOException">It does not.</exception>
    public async Task Stop()
    {
        With(service => ControlService(service, ControlStop, out _) || Marshal.GetLastPInvokeError() == IsDown ? true : throw Refused("stopped"));
        await Becomes(Stopped, "stop");
    }

    /// <summary>Takes it off the list; it must have stopped.</summary>
    /// <exception cref="IOException">It cannot be removed.</exception>
    public void Remove() => With(service => DeleteService(service) ? true : throw Refused("removed"));

    /// <summary>Whether it was started; not while the service manager is at something else.</summary>
    private bool IsStarted(nint service, bool isLast) =>
        StartService(service, 0, 0) || Marshal.GetLastPInvokeError() switch
        {
            RunsAlready => true,
            IsLocked or InvalidHandle when !isLast => false,
            _ => throw Refused("started"),
        };

    private string? Create(nint manager, string title, string about, string command)
    {
        var service = CreateService(manager, name, title, ServiceAllAccess, OwnProcess, StartsBySystem, NormalErrors, command, null, 0, null, null, null);
        if (service == 0)
        {
            throw Refused("registered");
        }

        try
        {
            return Describe(service, about);
        }
        finally
        {
            CloseServiceHandle(service);
        }
    }

    /// <summary>Why it is not started again after it was ended; null where it is.</summary>
    private static unsafe string? Describe(nint service, string about)
    {
        fixed (char* words = about)
        {
            var description = (nint)words;
            ChangeServiceConfig2(service, Description, &description);
        }

        var actions = stackalloc FailureAction[] { new(1, 5_000), new(1, 60_000), new(1, 60_000) };
        var afterFailure = new FailureActions { ResetAfter = 86_400, Count = 3, Actions = actions };
        return ChangeServiceConfig2(service, ActionsAfterFailure, &afterFailure) ? null : new Win32Exception().Message;
    }

    private async Task Becomes(uint state, string what)
    {
        using var timer = new PeriodicTimer(Pace);
        for (var waited = TimeSpan.Zero; ; waited += Pace)
        {
            var status = With(service => service == 0 ? default : QueryServiceStatus(service, out var now) ? now : throw Refused("asked"));
            if (status.State == state)
            {
                return;
            }

            if (waited > Patience || (state == Running && status.State == Stopped))
            {
                throw new IOException($"The service {name} does not {what} (state {status.State}, exit code {status.ExitCode}); its log says why.");
            }

            await timer.WaitForNextTickAsync();
        }
    }

    private T With<T>(Func<nint, T> does) => With((_, service) => does(service));

    /// <summary>Does something with the service manager and the service, which is 0 where it is not registered.</summary>
    /// <param name="asks">The rights that are asked for of the service manager.</param>
    /// <param name="ofService">The rights that are asked for of the service.</param>
    private T With<T>(Func<nint, nint, T> does, uint asks = AllAccess, uint ofService = ServiceAllAccess)
    {
        var manager = Manager(asks);
        try
        {
            var service = OpenService(manager, name, ofService);
            if (service == 0 && Marshal.GetLastPInvokeError() != NotThere)
            {
                throw Refused("opened");
            }

            try
            {
                return does(manager, service);
            }
            finally
            {
                if (service != 0)
                {
                    CloseServiceHandle(service);
                }
            }
        }
        finally
        {
            CloseServiceHandle(manager);
        }
    }

    private nint Manager(uint asks) => OpenSCManager(null, null, asks) is var manager and not 0
        ? manager
        : throw new UnauthorizedAccessException(
            $"The service manager of this machine does not answer: {new Win32Exception().Message} Run this as an administrator.");

    private IOException Refused(string what) => new($"The service {name} could not be {what}: {new Win32Exception().Message}");

    [StructLayout(LayoutKind.Sequential)]
    private struct ServiceStatus
    {
        public uint Type;
        public uint State;
        public uint Controls;
        public uint ExitCode;
        public uint OwnExitCode;
        public uint CheckPoint;
        public uint WaitHint;
    }

    [StructLayout(LayoutKind.Sequential)]
    private readonly record struct FailureAction(uint Kind, uint Delay);

    [StructLayout(LayoutKind.Sequential)]
    private unsafe struct FailureActions
    {
        public uint ResetAfter;
        public nint Message;
        public nint Command;
        public uint Count;
        public FailureAction* Actions;
    }

    [LibraryImport("advapi32.dll", EntryPoint = "OpenSCManagerW", SetLastError = true, StringMarshalling = StringMarshalling.Utf16)]
    private static partial nint OpenSCManager(string? machine, string? database, uint access);

    [LibraryImport("advapi32.dll", EntryPoint = "OpenServiceW", SetLastError = true, StringMarshalling = StringMarshalling.Utf16)]
    private static partial nint OpenService(nint manager, string name, uint access);

    [LibraryImport("advapi32.dll", EntryPoint = "CreateServiceW", SetLastError = true, StringMarshalling = StringMarshalling.Utf16)]
    private static partial nint CreateService(
        nint manager, string name, string title, uint access, uint type, uint start, uint errors, string command, string? group, nint tag, string? needs,
        string? account, string? password);

    [LibraryImport("advapi32.dll", EntryPoint = "ChangeServiceConfig2W", SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static unsafe partial bool ChangeServiceConfig2(nint service, uint what, void* value);

    [LibraryImport("advapi32.dll", EntryPoint = "StartServiceW", SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static partial bool StartService(nint service, uint count, nint arguments);

    [LibraryImport("advapi32.dll", SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static partial bool ControlService(nint service, uint control, out ServiceStatus status);

    [LibraryImport("advapi32.dll", SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static partial bool QueryServiceStatus(nint service, out ServiceStatus status);

    [LibraryImport("advapi32.dll", SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static partial bool DeleteService(nint service);

    [LibraryImport("advapi32.dll")]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static partial bool CloseServiceHandle(nint handle);
}
