console.log("later");
