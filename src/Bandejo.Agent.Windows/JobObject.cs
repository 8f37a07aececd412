using System.ComponentModel;
using System.Runtime.InteropServices;
using System.Security.Cryptography;
using System.Text;

namespace Bandejo.Agent;

/// <summary>A job of Windows: a process with all that it starts, found by name by whoever comes later (CreateJobObjectW, OpenJobObjectW).</summary>
internal sealed partial class JobObject : IDisposable
{
    private const uint AllAccess = 0x1F001F;

    /// <summary>JobObjectBasicAccountingInformation.</summary>
    private const int Accounting = 1;

    private readonly nint _handle;

    private JobObject(nint handle) => _handle = handle;

    /// <summary>Puts this process, and with it all that it starts from now on, into the job of a run. It is there for as long as one of them is.</summary>
    /// <exception cref="Win32Exception">It cannot be made.</exception>
    public static JobObject Enter(string folder)
    {
        var job = new JobObject(CreateJobObject(0, NameOf(folder)));
        return job._handle == 0 || !AssignProcessToJobObject(job._handle, GetCurrentProcess()) ? throw new Win32Exception() : job;
    }

    /// <summary>The job of a run; null where nothing of it is left.</summary>
    public static JobObject? Of(string folder) => OpenJobObject(AllAccess, false, NameOf(folder)) is var handle and not 0 ? new JobObject(handle) : null;

    /// <summary>How many of its processes run.</summary>
    public unsafe uint Running
    {
        get
        {
            AccountingInformation found;
            return QueryInformationJobObject(_handle, Accounting, &found, (uint)sizeof(AccountingInformation), 0) ? found.ActiveProcesses : 0;
        }
    }

    /// <summary>Ends all its processes.</summary>
    public void End() => TerminateJobObject(_handle, 1);

    public void Dispose() => CloseHandle(_handle);

    // Seen from every session. The folder's name holds the identity of the attempt, so that nobody can know it beforehand and take it first.
    private static string NameOf(string folder) => $@"Global\bandejo-{Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(folder)))[..32]}";

    [StructLayout(LayoutKind.Sequential)]
    private struct AccountingInformation
    {
        public long UserTime;
        public long KernelTime;
        public long PeriodUserTime;
        public long PeriodKernelTime;
        public uint PageFaults;
        public uint Processes;
        public uint ActiveProcesses;
        public uint TerminatedProcesses;
    }

    [LibraryImport("kernel32.dll", EntryPoint = "CreateJobObjectW", SetLastError = true, StringMarshalling = StringMarshalling.Utf16)]
    private static partial nint CreateJobObject(nint security, string name);

    [LibraryImport("kernel32.dll", EntryPoint = "OpenJobObjectW", SetLastError = true, StringMarshalling = StringMarshalling.Utf16)]
    private static partial nint OpenJobObject(uint access, [MarshalAs(UnmanagedType.Bool)] bool isInherited, string name);

    [LibraryImport("kernel32.dll", SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static partial bool AssignProcessToJobObject(nint job, nint process);

    [LibraryImport("kernel32.dll", SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static partial bool TerminateJobObject(nint job, uint code);

    [LibraryImport("kernel32.dll", SetLastError = true)]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static unsafe partial bool QueryInformationJobObject(nint job, int what, void* found, uint length, nint returned);

    [LibraryImport("kernel32.dll")]
    private static partial nint GetCurrentProcess();

    [LibraryImport("kernel32.dll")]
    [return: MarshalAs(UnmanagedType.Bool)]
    private static partial bool CloseHandle(nint handle);
}
