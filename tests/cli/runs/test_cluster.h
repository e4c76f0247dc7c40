// test_cluster.h: a batch scheduler of two nodes on this machine, from Debian's packages, in a folder of its
// own.
#pragma once

#include <pwd.h>
#include <signal.h>
#include <unistd.h>

#include <chrono>
#include <string>
#include <thread>

#include "formats/scratch_folder.h"

namespace vprism {

class TestCluster {
 public:
  static bool installed() {
    return std::system("command -v munged slurmctld slurmd sbatch scontrol >/dev/null 2>&1") == 0;
  }
  TestCluster() {
    char host[256] = "";
    ::gethostname(host, sizeof host - 1);
    const struct passwd* const entry = ::getpwuid(::getuid());
    const std::string user = entry != nullptr ? entry->pw_name : "root";
    const std::string port = std::to_string(20000 + ::getpid() % 10000);
    const auto after = [&](int by) { return std::to_string(std::stoi(port) + by); };
    for (const char* name : {"state", "n1", "n2"}) std::filesystem::create_directory(folder_.path(name));
    // Who checks credentials wants a path that nobody else can write to.
    std::filesystem::permissions(folder_.path(), std::filesystem::perms(0755));
    std::string key;
    for (int i = 0; i < 1024; ++i) key += static_cast<char>('a' + i * 7919 % 26);
    std::filesystem::permissions(folder_.write("key", key), std::filesystem::perms(0600));
    std::string text =
        "ClusterName=test\nSlurmctldHost=" + std::string(host) + "(127.0.0.1)\nSlurmctldPort=" + port +
        "\nSlurmUser=" + user + "\nSlurmdUser=" + user + "\nAuthInfo=socket=" + socket() +
        "\nStateSaveLocation=" + folder_.path("state") + "\nSlurmdSpoolDir=" + folder_.path("%n") +
        "\nSlurmctldPidFile=" + folder_.path("control.pid") + "\nSlurmdPidFile=" + folder_.path("%n.pid") +
        "\nSlurmctldLogFile=" + folder_.path("control.log") + "\nSlurmdLogFile=" + folder_.path("%n.log") +
        "\nAuthType=auth/munge\nProctrackType=proctrack/linuxproc\nTaskPlugin=task/none\n"
        "SelectType=select/cons_tres\nSelectTypeParameters=CR_Core\nMpiDefault=none\n"
        "AccountingStorageType=accounting_storage/none\nJobAcctGatherType=jobacct_gather/none\n"
        "SwitchType=switch/none\nSlurmdTimeout=3\nKillWait=1\nMessageTimeout=2\nTCPTimeout=1\n"
        "BatchStartTimeout=2\nSchedulerParameters=sched_interval=1,bf_interval=1,"
        "sched_min_interval=1000,batch_sched_delay=0\n";
    for (int node : {1, 2})
      text += "NodeName=n" + std::to_string(node) + " NodeHostname=" + host +
              " NodeAddr=127.0.0.1 Port=" + after(node) + " CPUs=1 RealMemory=500 State=UNKNOWN\n";
    text += "PartitionName=all Nodes=n1,n2 Default=YES State=UP\n";
    ::setenv("SLURM_CONF", folder_.write("slurm.conf", text).c_str(), 1);
    run("munged --force --key-file=" + folder_.path("key") + " --socket=" + socket() +
        " --pid-file=" + folder_.path("munged.pid") + " --log-file=" + folder_.path("munged.log") +
        " --seed-file=" + folder_.path("seed"));
    run("slurmctld -c");
    for (const char* node : {"n1", "n2"}) run(std::string("slurmd -N ") + node);
    for (int i = 0; i < 100 && !ready_; ++i) {
      std::this_thread::sleep_for(std::chrono::milliseconds(100));
      ready_ = std::system("sinfo -h -o '%D %T' 2>/dev/null | grep -q '^2 idle'") == 0;
    }
  }
  ~TestCluster() {
    run("scancel --user=$(id -u)");
    for (const char* name : {"n1.pid", "n2.pid", "control.pid", "munged.pid"}) end(name, SIGKILL);
    ::unsetenv("SLURM_CONF");
  }
  TestCluster(const TestCluster&) = delete;
  TestCluster& operator=(const TestCluster&) = delete;

  bool ready() const { return ready_; }
  /// Its daemon, and what is at work there.
  void kill_node(const std::string& node) const {
    end(node + ".pid", SIGKILL);
    run("for p in $(pgrep -f -- '--share='); do tr '\\0' '\\n' < /proc/$p/environ | grep -qx "
        "SLURMD_NODENAME=" +
        node + " && kill -9 $p; done");
  }
  std::string logs() const {
    return ScratchFolder::read(folder_.path("control.log")) + ScratchFolder::read(folder_.path("n1.log"));
  }

 private:
  std::string socket() const { return folder_.path("socket"); }
  static void run(const std::string& command) {
    const int code = std::system((command + " >/dev/null 2>&1").c_str());
    static_cast<void>(code);
  }
  void end(const std::string& pid_file, int signal) const {
    const std::string text = ScratchFolder::read(folder_.path(pid_file));
    const long process = std::strtol(text.c_str(), nullptr, 10);
    if (process > 1) ::kill(static_cast<pid_t>(process), signal);
  }
  ScratchFolder folder_;
  bool ready_ = false;
};

}  // namespace vprism
